// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/field_map.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/space/spherical_harmonics.h"

namespace rivlen {

namespace {
constexpr double kPeakRangeDb = 12, kQuietestDb = -80;
}  // namespace

Direction FieldMap::direction_at(std::size_t row, std::size_t column) {
    const double step = 360.0 / kAround;
    return {180 - step * (static_cast<double>(column) + 0.5), 90 - step * (static_cast<double>(row) + 0.5)};
}

FieldMap::FieldMap(Layout layout, int sample_rate)
    : order_(ambisonic_order(layout) > 0 ? std::min(ambisonic_order(layout), kOrder) : kOrder),
      used_(static_cast<std::size_t>((order_ + 1) * (order_ + 1))),
      encoder_(conversion(layout, ambisonics_of_order(order_))),
      slice_frames_(static_cast<std::size_t>(kSeconds * sample_rate / kSlices)) {
    slices_.assign(kSlices, {std::vector<double>(used_ * used_), 0});
    const auto weights = max_re_weights(order_);
    double norm = 0;  // so that a source of power 1 is seen with 1 where it is
    for (int n = 0; n <= order_; ++n) norm += (2 * n + 1) * weights[static_cast<std::size_t>(n)];
    for (std::size_t row = 0; row < kHeights; ++row) {
        for (std::size_t column = 0; column < kAround; ++column) {
            std::vector<double> beam(used_);
            spherical_harmonics(direction_at(row, column), beam);
            for (std::size_t k = 0; k < used_; ++k) {
                const int n = order_of_channel(k);
                beam[k] *= (2 * n + 1) * weights[static_cast<std::size_t>(n)] / norm;
            }
            beams_.push_back(std::move(beam));
        }
    }
}

void FieldMap::reset() {
    for (auto& s : slices_) {
        std::ranges::fill(s.covariance, 0.0);
        s.frames = 0;
    }
}

void FieldMap::add(std::span<const std::span<const float>> block) {
    std::array<double, kHarmonics> x{};
    const std::size_t frames = block.empty() ? 0 : block[0].size();
    for (std::size_t i = 0; i < frames; ++i) {
        Slice* slice = &slices_[at_];
        if (slice->frames >= slice_frames_) {
            at_ = (at_ + 1) % kSlices;
            slice = &slices_[at_];
            std::ranges::fill(slice->covariance, 0.0);
            slice->frames = 0;
        }
        for (std::size_t k = 0; k < used_; ++k) {
            x[k] = 0;
            for (std::size_t c = 0; c < block.size(); ++c) {
                if (const double g = encoder_(k, c); g != 0) x[k] += g * static_cast<double>(block[c][i]);
            }
        }
        for (std::size_t k = 0; k < used_; ++k) {
            for (std::size_t l = 0; l <= k; ++l) slice->covariance[k * used_ + l] += x[k] * x[l];
        }
        ++slice->frames;
    }
}

std::vector<float> FieldMap::power() const {
    std::vector<double> sum(used_ * used_);
    std::size_t frames = 0;
    for (const auto& s : slices_) {
        frames += s.frames;
        for (std::size_t k = 0; k < sum.size(); ++k) sum[k] += s.covariance[k];
    }
    std::vector<float> out(beams_.size());
    if (frames == 0) return out;
    for (std::size_t d = 0; d < beams_.size(); ++d) {
        const auto& beam = beams_[d];
        double power = 0;
        for (std::size_t k = 0; k < used_; ++k) {
            for (std::size_t l = 0; l <= k; ++l)
                power += (k == l ? 1 : 2) * beam[k] * beam[l] * sum[k * used_ + l];
        }
        out[d] = static_cast<float>(std::max(0.0, power / static_cast<double>(frames)));
    }
    return out;
}

std::vector<FieldMap::Peak> FieldMap::peaks(std::span<const float> power, std::size_t most) {
    std::vector<Peak> found;
    const auto at = [&](std::size_t row, std::size_t column) { return power[row * kAround + column]; };
    for (std::size_t row = 0; row < kHeights; ++row) {
        for (std::size_t column = 0; column < kAround; ++column) {
            const float here = at(row, column);
            if (here <= 0) continue;
            bool highest = true;
            for (std::size_t r = row > 0 ? row - 1 : 0; r <= std::min(row + 1, kHeights - 1); ++r) {
                for (const std::size_t c :
                     {(column + kAround - 1) % kAround, column, (column + 1) % kAround}) {
                    const bool before = r < row || (r == row && c < column);  // of equals the first
                    if (r != row || c != column)
                        highest = highest && (before ? at(r, c) < here : at(r, c) <= here);
                }
            }
            const double level = db_of_power(static_cast<double>(here));
            if (highest && level >= kQuietestDb) found.push_back({direction_at(row, column), level});
        }
    }
    std::ranges::stable_sort(found, std::ranges::greater{}, &Peak::level_db);
    const double lowest = found.empty() ? 0 : found.front().level_db - kPeakRangeDb;
    std::erase_if(found, [lowest](const Peak& p) { return p.level_db < lowest; });
    if (found.size() > most) found.resize(most);
    return found;
}

}  // namespace rivlen
