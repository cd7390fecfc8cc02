// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/sound_comparison.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace rivlen {

namespace {

constexpr std::int64_t kBlockFrames = 1 << 16;
constexpr std::ptrdiff_t kReach = 4096;  // offsets that are looked at, on either side

double energy(std::span<const float> x) {
    double sum = 0.0;
    for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
    return sum;
}

// The loudest block of a channel of what was given, with what was written there and kReach on either side.
struct Stretch {
    double energy = -1;
    std::vector<float> given, written;
    std::ptrdiff_t written_begins = 0;  // against given: -kReach, or 0 at the very start
};

// Offset at which a stretch fits best; the nearest offsets first, so that a periodic sound is not taken for a
// shifted one.
std::int64_t best_offset(const Stretch& s) {
    if (s.energy <= 0.0) return 0;
    double least = 1e300;
    std::int64_t best = 0;
    for (std::ptrdiff_t step = 0; step <= 2 * kReach; ++step) {
        const std::ptrdiff_t offset = (step % 2 == 0 ? 1 : -1) * ((step + 1) / 2);
        double error = 0.0;
        for (std::ptrdiff_t i = 0; i < std::ssize(s.given) && error < least; i += 3) {
            const std::ptrdiff_t at = i + offset - s.written_begins;
            const double y = at >= 0 && at < std::ssize(s.written)
                                 ? static_cast<double>(s.written[static_cast<std::size_t>(at)])
                                 : 0.0;
            const double d = y - static_cast<double>(s.given[static_cast<std::size_t>(i)]);
            error += d * d;
        }
        if (error < least * 0.999) {
            least = error;
            best = offset;
        }
    }
    return best;
}

class Comparer {
  public:
    // Blocks of the same place; what follows of the written one is known, too.
    void add(const AudioBlock& given, const AudioBlock& before, const AudioBlock& written,
             const AudioBlock& behind) {
        for (std::size_t c = 0; c < given.channels(); ++c) {
            for (std::size_t i = 0; i < given.frames(); ++i) {
                const auto x = static_cast<double>(given[c][i]);
                const bool there = c < written.channels() && i < written.frames();
                const double y = there ? static_cast<double>(written[c][i]) : 0.0;
                wanted_ += x * x;
                wrong_ += (y - x) * (y - x);
            }
        }
        for (std::size_t c = 0; c < given.channels(); ++c) {
            if (const double loud = energy(given[c]); loud > loudest_.energy)
                keep(loud, c, given, before, written, behind);
        }
    }
    [[nodiscard]] SoundComparison result() const {
        const double db = wrong_ <= 0.0 ? -200.0 : 10.0 * std::log10(wrong_ / std::max(wanted_, 1e-20));
        return {best_offset(loudest_), db, wanted_};
    }

  private:
    void keep(double loud, std::size_t c, const AudioBlock& given, const AudioBlock& before,
              const AudioBlock& written, const AudioBlock& behind) {
        loudest_ = {loud, {given[c].begin(), given[c].end()}, {}, 0};
        if (c < before.channels() && !before.empty()) {
            const std::ptrdiff_t count = std::min(kReach, std::ssize(before[c]));
            loudest_.written.assign(before[c].end() - count, before[c].end());
            loudest_.written_begins = -count;
        }
        if (c < written.channels())
            loudest_.written.insert(loudest_.written.end(), written[c].begin(), written[c].end());
        if (c < behind.channels() && !behind.empty())
            loudest_.written.insert(loudest_.written.end(), behind[c].begin(),
                                    behind[c].begin() + std::min(kReach, std::ssize(behind[c])));
    }
    double wanted_ = 0, wrong_ = 0;
    Stretch loudest_;
};

}  // namespace

Result<SoundComparison> compare(const NextSound& given, const NextSound& written, const JobControl& job) {
    Comparer comparer;
    AudioBlock here;
    AudioBlock before;
    AudioBlock now;
    AudioBlock behind;
    if (auto status = written(kBlockFrames, now); !status) return status.error();
    while (true) {
        if (job.cancelled()) return JobControl::cancelled_error();
        if (auto status = given(kBlockFrames, here); !status) return status.error();
        if (here.empty()) return comparer.result();
        if (auto status = written(kBlockFrames, behind); !status) return status.error();
        comparer.add(here, before, now, behind);
        before = std::move(now);
        now = std::move(behind);
        behind = {};
    }
}

}  // namespace rivlen
