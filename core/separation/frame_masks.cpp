// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/frame_masks.h"

#include <cmath>

#include "core/base/vector_code.h"

namespace rivlen {

namespace {

RIVLEN_VECTOR_CODE void add_weighted(const std::size_t count, const float weight, const float* __restrict row,
                                     float* __restrict sum) {
    for (std::size_t i = 0; i < count; ++i) sum[i] += weight * row[i];
}

}  // namespace

void smooth_masks(const MaskRowAt& row, float temporal_smoothing, std::span<float> out) {
    constexpr std::int64_t kBehind = 16;
    constexpr std::int64_t kAhead = 6;
    const float behind = 12.0F * temporal_smoothing;
    const float ahead = 3.0F * temporal_smoothing;
    std::array<float, kOpenedRow> sum{};
    float total = 0.0F;
    for (std::int64_t k = -kBehind; k <= kAhead; ++k) {
        const auto distance = static_cast<float>(k < 0 ? -k : k);
        const float weight = std::exp(-distance / (k < 0 ? behind : ahead));
        if (weight < 1e-3F) continue;
        add_weighted(out.size(), weight, row(k).data(), sum.data());
        total += weight;
    }
    const float side = 0.25F * temporal_smoothing;
    const float scale = 1.0F / total;
    for (std::size_t j = 0; j < out.size() / kBands; ++j) {
        const std::span in = std::span(sum).subspan(j * kBands, kBands);
        for (std::size_t b = 0; b < kBands; ++b) {
            const float left = in[b > 0 ? b - 1 : b];
            const float right = in[b + 1 < kBands ? b + 1 : b];
            out[j * kBands + b] = scale * ((1.0F - 2.0F * side) * in[b] + side * (left + right));
        }
    }
}

FrameMasks::FrameMasks(const MaskMap& map, double map_frames_per_frame, int group)
    : map_(&map),
      row_size_(map.row_size()),
      step_(map_frames_per_frame),
      group_(group),
      rows_(kKept * row_size_),
      smoothed_(row_size_) {
    row_of_.fill(std::numeric_limits<std::int64_t>::min());
}

std::span<const float> FrameMasks::plain(std::int64_t frame) {
    const auto slot = static_cast<std::size_t>(((frame % kKept) + kKept) % kKept);
    const auto row = std::span(rows_).subspan(slot * row_size_, row_size_);
    if (row_of_[slot] != frame) {
        map_->read(static_cast<double>(frame) * step_, row, group_);
        row_of_[slot] = frame;
    }
    return row;
}

std::span<const float> FrameMasks::smoothed(std::int64_t frame, float temporal_smoothing) {
    if (temporal_smoothing <= 0.0F) return plain(frame);
    // All stems of a frame ask one after another, as a rule for the same.
    if (smoothed_of_ == frame && smoothing_of_ == temporal_smoothing) return smoothed_;
    smoothed_of_ = frame;
    smoothing_of_ = temporal_smoothing;
    const auto row = [this, frame](std::int64_t k) { return plain(frame + k); };
    smooth_masks(std::cref(row), temporal_smoothing, smoothed_);
    return smoothed_;
}

}  // namespace rivlen
