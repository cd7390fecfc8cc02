// SPDX-License-Identifier: GPL-3.0-or-later
// Where the sound of a layout comes from: energy by direction over the last moments.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "core/space/conversion.h"

namespace rivlen {

// Sound is taken as ambisonics (loudspeakers as sources where they stand) of an order of at most kOrder,
// whose covariance over the last 300 ms a beam of max-rE weights reads off in every direction. Not for the
// audio thread.
class FieldMap {
  public:
    static constexpr int kOrder = 3;
    static constexpr double kSeconds = 0.3;
    static constexpr std::size_t kAround = 72, kHeights = 36;  // steps of 5 degrees
    FieldMap(Layout layout, int sample_rate);
    void reset();
    // Channels of equal lengths.
    void add(std::span<const std::span<const float>> block);
    // Mean power by direction, a row a height from +87.5 degrees down, in each from azimuth +177.5 (left) to
    // -177.5: as one looks at a picture all around whose middle is ahead.
    [[nodiscard]] std::vector<float> power() const;
    [[nodiscard]] static Direction direction_at(std::size_t row, std::size_t column);
    struct Peak {
        Direction direction;
        double level_db = 0;  // of full scale
    };
    // The loudest places that are louder than all around them, at most `most` and none more than 12 dB below
    // the first, loudest first; none below -80 dB.
    [[nodiscard]] static std::vector<Peak> peaks(std::span<const float> power, std::size_t most);

  private:
    static constexpr std::size_t kHarmonics = (kOrder + 1) * (kOrder + 1);
    static constexpr std::size_t kSlices = 6;
    struct Slice {
        std::vector<double> covariance;
        std::size_t frames = 0;
    };
    int order_;
    std::size_t used_;  // harmonics
    ChannelMatrix encoder_;
    std::size_t slice_frames_;
    std::vector<Slice> slices_;
    std::size_t at_ = 0;
    std::vector<std::vector<double>> beams_;  // a direction each
};

}  // namespace rivlen
