// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/doubt.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/dsp/decibels.h"
#include "core/separation/band_powers.h"

namespace rivlen {

namespace {

constexpr double kSilentDbfs = -70;  // a step below this is not judged
constexpr std::int64_t kDoubtPieceFrames = 4096;

using Kinds = std::array<double, kMostDoubtKinds>;

Kinds kinds_of(std::span<const float> masks, std::size_t band) {
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

void DoubtSums::add_band(double power, const Kinds& shown, const Kinds& other) {
    double differing = 0, squares = 0;
    for (std::size_t k = 0; k < shown.size(); ++k) {
        differing += std::abs(shown[k] - other[k]) / 2;
        squares += shown[k] * shown[k];
        shown_[k] += power * shown[k];
    }
    // What leaves a kind goes to those that gain, in proportion.
    for (std::size_t from = 0; from < shown.size() && differing > 0; ++from) {
        for (std::size_t to = 0; to < shown.size(); ++to)
            moved_[from][to] += power * std::max(0.0, shown[from] - other[from]) *
                                std::max(0.0, other[to] - shown[to]) / differing;
    }
    all_ += power;
    differing_ += power * differing;
    open_ += power * (1 - squares);
}

void DoubtSums::add_bands(std::size_t first, std::size_t last, std::span<const float> power,
                          std::span<const float> shown, std::span<const float> other) {
    for (std::size_t b = first; b < last; ++b)
        add_band(static_cast<double>(power[b]), kinds_of(shown, b), kinds_of(other, b));
}

void DoubtSums::add_parts(std::size_t first, std::size_t last, std::span<const float> power,
                          std::span<const float> opened) {
    for (std::size_t b = first; b < last; ++b) {
        const auto music = static_cast<double>(opened[kMusicSound * kBands + b]);
        if (music <= 0) continue;
        Kinds parts{};
        for (std::size_t part = 0; part < kMusicParts; ++part)
            parts[part] = static_cast<double>(opened[(kStems + part) * kBands + b]) / music;
        add_band(static_cast<double>(power[b]) * music * music, parts, parts);
    }
}

void DoubtSums::add(const DoubtSums& sums) {
    all_ += sums.all_;
    differing_ += sums.differing_;
    open_ += sums.open_;
    for (std::size_t k = 0; k < shown_.size(); ++k) {
        shown_[k] += sums.shown_[k];
        for (std::size_t to = 0; to < shown_.size(); ++to) moved_[k][to] += sums.moved_[k][to];
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

namespace {

// What is summed up of a frame, row by row of the picture.
using AddFrame = std::function<void(std::int64_t frame, std::span<const float> power, RowSums& rows)>;

// A step of the line is closed: what was summed up in it becomes its doubt, and the sums begin anew.
class LineMaker {
  public:
    LineMaker(double silent_power, bool with_moves) : silent_(silent_power), with_moves_(with_moves) {}
    [[nodiscard]] RowSums& rows() { return rows_; }
    // Up to a frame of the map's grid.
    void close_steps_before(std::int64_t frame) {
        while (static_cast<double>(frame) / kMapFramesPerSecond >=
               kDoubtStepSeconds * static_cast<double>(line_.doubt.size() + 1))
            close_step();
    }
    void close_step() {
        DoubtSums sums;  // of the whole step
        for (const DoubtSums& row : rows_) sums.add(row);
        const bool judged = frames_ > 0 && sums.energy() / static_cast<double>(frames_) > silent_;
        line_.doubt.push_back(judged ? static_cast<float>(sums.doubt()) : 0.0F);
        for (std::size_t x = 0; x < kDoubtKinds && with_moves_; ++x) {
            for (std::size_t y = 0; y < kDoubtKinds; ++y) {
                const double moved = sums.from_to(static_cast<DoubtKind>(x), static_cast<DoubtKind>(y));
                line_.moved[x][y].push_back(judged ? static_cast<float>(moved) : 0.0F);
            }
        }
        add_step(rows_, sums.energy(), judged, line_.picture);
        rows_ = {};
        frames_ = 0;
    }
    void count_frame() { ++frames_; }
    [[nodiscard]] DoubtLine take() {
        close_step();
        return std::move(line_);
    }

  private:
    double silent_;
    bool with_moves_;
    RowSums rows_;
    std::int64_t frames_ = 0;
    DoubtLine line_;
};

Result<DoubtLine> measure(const Source& source, std::int64_t total, LineMaker maker, const AddFrame& add,
                          const std::function<void()>& drop_pages, const JobControl& job) {
    for (std::int64_t from = 0; from < total; from += kDoubtPieceFrames) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const std::int64_t to = std::min(total, from + kDoubtPieceFrames);
        const auto powers = band_powers(source, from, to);
        for (std::int64_t t = from; t < to; ++t) {
            maker.close_steps_before(t);
            add(t, std::span(powers).subspan(static_cast<std::size_t>(t - from) * kBands, kBands),
                maker.rows());
            maker.count_frame();
        }
        source.drop_pages();
        drop_pages();
        job.report(static_cast<double>(to) / static_cast<double>(total));
    }
    return maker.take();
}

double silent_power_of(const Source& source) {
    return std::pow(10, kSilentDbfs / 10) * power_of_full_scale(source);
}

}  // namespace

Result<DoubtLine> measure_doubt(const Source& source, const MaskMap& shown, const MaskMap& other,
                                const JobControl& job) {
    // Channel groups count alike: where one of several microphones is doubtful, so is the moment.
    const int groups = std::min(shown.facts().groups, other.facts().groups);
    const auto add = [&](std::int64_t frame, std::span<const float> power, RowSums& rows) {
        std::array<float, kMaskRow> a, b;
        for (int group = 0; group < groups; ++group) {
            shown.read(static_cast<double>(frame), a, group);
            other.read(static_cast<double>(frame), b, group);
            for (std::size_t r = 0; r < rows.size(); ++r)
                rows[r].add_bands(r * DoubtPicture::kRowBands, (r + 1) * DoubtPicture::kRowBands, power, a,
                                  b);
        }
    };
    return measure(
        source, static_cast<std::int64_t>(std::min(shown.facts().frames, other.facts().frames)),
        LineMaker(groups * silent_power_of(source), true), add,
        [&] {
            shown.drop_pages();
            other.drop_pages();
        },
        job);
}

Result<DoubtLine> measure_parts_doubt(const Source& source, const MaskMap& opened, const JobControl& job) {
    if (!opened.opens_music()) return DoubtLine();
    const auto add = [&](std::int64_t frame, std::span<const float> power, RowSums& rows) {
        std::array<float, kOpenedRow> masks;
        for (int group = 0; group < opened.facts().groups; ++group) {
            opened.read(static_cast<double>(frame), masks, group);
            for (std::size_t r = 0; r < rows.size(); ++r)
                rows[r].add_parts(r * DoubtPicture::kRowBands, (r + 1) * DoubtPicture::kRowBands, power,
                                  masks);
        }
    };
    return measure(
        source, static_cast<std::int64_t>(opened.facts().frames),
        LineMaker(opened.facts().groups * silent_power_of(source), false), add, [&] { opened.drop_pages(); },
        job);
}

}  // namespace rivlen
