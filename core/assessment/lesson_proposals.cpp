// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/lesson_proposals.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/assessment/step_energies.h"
#include "core/base/clock_words.h"
#include "core/separation/band_powers.h"

namespace rivlen {

namespace {

constexpr double kStepSeconds = kEnergyStepFrames / kMapFramesPerSecond;
constexpr double kShortestProposalSeconds = 1.0;
constexpr double kLongestLessonSeconds = 12.0;
constexpr std::size_t kMostOfEach = 3;
constexpr double kNoVoiceShare = 0.02;
constexpr double kVoiceAloneShare = 0.95;
constexpr double kSureShare = 0.8;            // of music or ambience, to be called one of them alone
constexpr double kSilentBelowLoudest = 1e-5;  // of the loudest step's energy
constexpr std::size_t kMomentSteps = 3;       // that may be otherwise within a stretch

struct Stretch {
    std::size_t first = 0, last = 0;  // steps
    StepEnergy energy{};
    [[nodiscard]] std::size_t length() const { return last - first; }
};

// Longest stretches whose steps are all so, but for moments; silence belongs to none.
std::vector<Stretch> stretches(const std::vector<StepEnergy>& steps, bool (*so)(const StepEnergy&),
                               double silent) {
    const auto shortest = static_cast<std::size_t>(std::ceil(kShortestProposalSeconds / kStepSeconds));
    const auto longest = static_cast<std::size_t>(kLongestLessonSeconds / kStepSeconds);
    std::vector<Stretch> out;
    std::size_t first = 0;
    std::size_t last = 0;
    const auto close = [&] {
        if (last - first >= shortest) {
            Stretch s{first, std::min(last, first + longest), {}};
            for (std::size_t i = s.first; i < s.last; ++i) {
                for (std::size_t k = 0; k < s.energy.size(); ++k) s.energy[k] += steps[i][k];
            }
            out.push_back(s);
        }
    };
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (total_of(steps[i]) <= silent || !so(steps[i])) continue;
        if (last == 0 || i - last > kMomentSteps) {
            close();
            first = i;
        }
        last = i + 1;
    }
    close();
    std::ranges::stable_sort(out, std::greater{}, &Stretch::length);
    return out;
}

class LessonProposals {
  public:
    LessonProposals(const Source& source, std::vector<ProposedMark>& out) : source_(&source), out_(&out) {}
    void add(const Stretch& stretch, Stem stem, const std::string& what) {
        std::size_t& count = counts_[static_cast<std::size_t>(stem)];
        if (count == kMostOfEach) return;
        ++count;
        const auto seconds = [&](std::int64_t frame) {
            return static_cast<double>(frame) / source_->sample_rate();
        };
        const TeachingMark mark{stem, start_of_step(*source_, stretch.first),
                                start_of_step(*source_, stretch.last)};
        out_->push_back({mark, fmt::format("From {} to {} {}", clock_words(seconds(mark.first)),
                                           clock_words(seconds(mark.last)), what)});
    }

  private:
    const Source* source_;
    std::vector<ProposedMark>* out_;
    std::array<std::size_t, kStems> counts_{};
};

}  // namespace

Result<std::vector<ProposedMark>> propose_marks(const Source& source, const MaskMap& map,
                                                const JobControl& job) {
    const auto steps = step_energies(source, &map, job);
    if (job.cancelled()) return JobControl::cancelled_error();
    double loudest = 0.0;
    for (const auto& step : steps) loudest = std::max(loudest, total_of(step));
    const double silent = loudest * kSilentBelowLoudest;
    std::vector<ProposedMark> out;
    LessonProposals proposals(source, out);
    const auto no_voice = [](const StepEnergy& e) { return e[0] < kNoVoiceShare * total_of(e); };
    for (const auto& s : stretches(steps, no_voice, silent)) {
        const double music = s.energy[1] / std::max(1e-30, s.energy[1] + s.energy[2]);
        if (music < kSureShare) {
            proposals.add(s, Stem::Ambience,
                          music <= 1 - kSureShare
                              ? "no voice is heard; the model calls it ambience."
                              : "no voice is heard; the model calls most of it ambience.");
        }
        if (music > 1 - kSureShare) {
            proposals.add(s, Stem::Music,
                          music >= kSureShare ? "no voice is heard; the model calls it music."
                                              : "no voice is heard; the model calls much of it music.");
        }
    }
    const auto voice_alone = [](const StepEnergy& e) { return e[0] > kVoiceAloneShare * total_of(e); };
    for (const auto& s : stretches(steps, voice_alone, silent))
        proposals.add(s, Stem::Dialogue, "only a voice is heard.");
    return out;
}

}  // namespace rivlen
