// SPDX-License-Identifier: GPL-3.0-or-later
// The map's masks on the frame grid of a recording, plain or smoothed, without allocating.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <limits>
#include <span>
#include <vector>

#include "core/separation/mask_map.h"

namespace rivlen {

// Smoothing is a weighted mean over neighbouring frames and bands. Later frames count less than earlier ones
// (32 ms against 128 ms at full smoothing), so that a gain opens fast and closes slowly. It is done on the
// masks, not on gains: masks that add up to one still do afterwards.
// row(k): the masks k frames later (k < 0: earlier), as many values as out, whole bands. temporal_smoothing:
// above 0, up to 1.
using MaskRowAt = std::function<std::span<const float>(std::int64_t k)>;
void smooth_masks(const MaskRowAt& row, float temporal_smoothing, std::span<float> out);

class FrameMasks {
  public:
    // map must outlive it. map_frames_per_frame: step of the grid in frames of the map. group: of channels.
    FrameMasks(const MaskMap& map, double map_frames_per_frame, int group = 0);

    // MaskMap::row_size() values; valid until the next call.
    [[nodiscard]] std::span<const float> plain(std::int64_t frame);
    // temporal_smoothing: 0 to 1.
    [[nodiscard]] std::span<const float> smoothed(std::int64_t frame, float temporal_smoothing);

  private:
    static constexpr std::int64_t kKept = 32;
    const MaskMap* map_;
    std::size_t row_size_;
    double step_;
    int group_;
    std::vector<float> rows_;                   // kKept rows
    std::array<std::int64_t, kKept> row_of_{};  // frame that lies in a row
    std::vector<float> smoothed_;
    std::int64_t smoothed_of_ = std::numeric_limits<std::int64_t>::min();
    float smoothing_of_ = 0.0F;
};

}  // namespace rivlen
