// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/doubt.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/separation/band_powers.h"

namespace rivlen {

namespace {

constexpr double kSilentDbfs = -70;  // a step below this is not judged
constexpr std::int64_t kDoubtPieceFrames = 4096;

std::array<double, kDoubtKinds> kinds_of(std::span<const float> masks, std::size_t band) {
    const auto at = [&](Stem stem) {
        return static_cast<double>(masks[static_cast<std::size_t>(stem) * kBands + band]);
    };
    return {at(Stem::Dialogue) + at(Stem::Reverb), at(Stem::Music), at(Stem::Ambience)};
}

using RowSums = std::array<DoubtSums, DoubtPicture::kRows>;

// Appends a step; nothing of one that is not judged.
void add_step(const RowSums& rows, double energy, bool judged, DoubtPicture& picture) {
    constexpr double kFullDb = -20, kNothingDb = -40;
    for (const DoubtSums& row : rows) {
        const double level_db = energy > 0 ? db_of_power(row.energy() / energy) : kNothingDb;
        const double heard = std::clamp((level_db - kNothingDb) / (kFullDb - kNothingDb), 0.0, 1.0);
        const double cell = judged ? heard * row.doubt() : 0.0;
        picture.cells.push_back(static_cast<std::uint8_t>(std::lround(255 * cell)));
    }
}

}  // namespace

void DoubtSums::add_bands(std::size_t first, std::size_t last, std::span<const float> power,
                          std::span<const float> shown, std::span<const float> other) {
    for (std::size_t b = first; b < last; ++b) {
        const auto p = static_cast<double>(power[b]);
        const auto x = kinds_of(shown, b), y = kinds_of(other, b);
        double differing = 0, squares = 0;
        for (std::size_t k = 0; k < kDoubtKinds; ++k) {
            differing += std::abs(x[k] - y[k]) / 2;
            squares += x[k] * x[k];
            shown_[k] += p * x[k];
        }
        // What leaves a kind goes to those that gain, in proportion.
        for (std::size_t from = 0; from < kDoubtKinds && differing > 0; ++from) {
            for (std::size_t to = 0; to < kDoubtKinds; ++to)
                moved_[from][to] +=
                    p * std::max(0.0, x[from] - y[from]) * std::max(0.0, y[to] - x[to]) / differing;
        }
        all_ += p;
        differing_ += p * differing;
        open_ += p * (1 - squares);
    }
}

void DoubtSums::add(const DoubtSums& sums) {
    all_ += sums.all_;
    differing_ += sums.differing_;
    open_ += sums.open_;
    for (std::size_t k = 0; k < kDoubtKinds; ++k) {
        shown_[k] += sums.shown_[k];
        for (std::size_t to = 0; to < kDoubtKinds; ++to) moved_[k][to] += sums.moved_[k][to];
    }
}

double DoubtSums::disagreement() const {
    return all_ > 0 ? std::min(1.0, differing_ / all_) : 0;
}

double DoubtSums::openness() const {
    return all_ > 0 ? std::clamp(open_ / all_, 0.0, 1.0) : 0;
}

double DoubtSums::doubt() const {
    return 1 - (1 - disagreement()) * (1 - openness());
}

double DoubtSums::from_to(DoubtKind shown, DoubtKind other) const {
    return all_ > 0 ? moved_[static_cast<std::size_t>(shown)][static_cast<std::size_t>(other)] / all_ : 0;
}

double DoubtSums::share(DoubtKind kind) const {
    return all_ > 0 ? shown_[static_cast<std::size_t>(kind)] / all_ : 0;
}

Result<DoubtLine> measure_doubt(const Source& source, const MaskMap& shown, const MaskMap& other,
                                const JobControl& job) {
    DoubtLine line;
    const auto total = static_cast<std::int64_t>(std::min(shown.facts().frames, other.facts().frames));
    const double silent = std::pow(10, kSilentDbfs / 10) * power_of_full_scale(source);
    std::array<float, kMaskRow> a, b;
    RowSums rows;
    double power = 0;
    std::int64_t frames = 0;
    const auto close_step = [&] {
        DoubtSums sums;  // of the whole step
        for (const DoubtSums& row : rows) sums.add(row);
        const bool judged = frames > 0 && power / static_cast<double>(frames) > silent;
        line.doubt.push_back(judged ? static_cast<float>(sums.doubt()) : 0.0F);
        for (std::size_t x = 0; x < kDoubtKinds; ++x) {
            for (std::size_t y = 0; y < kDoubtKinds; ++y) {
                const double moved = sums.from_to(static_cast<DoubtKind>(x), static_cast<DoubtKind>(y));
                line.moved[x][y].push_back(judged ? static_cast<float>(moved) : 0.0F);
            }
        }
        add_step(rows, sums.energy(), judged, line.picture);
        rows = {};
        power = 0;
        frames = 0;
    };
    for (std::int64_t from = 0; from < total; from += kDoubtPieceFrames) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const std::int64_t to = std::min(total, from + kDoubtPieceFrames);
        const auto powers = band_powers(source, from, to);
        for (std::int64_t t = from; t < to; ++t) {
            while (static_cast<double>(t) / kMapFramesPerSecond >=
                   kDoubtStepSeconds * static_cast<double>(line.doubt.size() + 1))
                close_step();
            const std::span<const float> row(powers.data() + (t - from) * kBands, kBands);
            // Channel groups count alike: where one of several microphones is doubtful, so is the moment.
            for (int group = 0; group < std::min(shown.facts().groups, other.facts().groups); ++group) {
                shown.read(static_cast<double>(t), a, group);
                other.read(static_cast<double>(t), b, group);
                for (std::size_t r = 0; r < rows.size(); ++r)
                    rows[r].add_bands(r * DoubtPicture::kRowBands, (r + 1) * DoubtPicture::kRowBands, row, a,
                                      b);
            }
            for (const float x : row) power += static_cast<double>(x);
            ++frames;
        }
        source.drop_pages();
        shown.drop_pages();
        other.drop_pages();
        job.report(static_cast<double>(to) / static_cast<double>(total));
    }
    close_step();
    return line;
}

}  // namespace rivlen
