// SPDX-License-Identifier: GPL-3.0-or-later
// What a fill puts in place of the sound in its region: the sound around it, going on.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/media/source.h"
#include "core/separation/region.h"

namespace rivlen {

// To be added to a recording from a frame on, so that it sounds filled.
struct SoundFill {
    std::int64_t first = 0;
    std::vector<std::vector<float>> change;  // [channel], equally long; empty when there is nothing around
    [[nodiscard]] std::int64_t last() const {
        return first + (change.empty() ? 0 : static_cast<std::int64_t>(change.front().size()));
    }
    // Its share of a block of a channel that begins at a frame, times a strength.
    void add_to(int channel, std::int64_t start_frame, float strength, std::span<float> sound) const;
};

// A part of the fill that is not to be: where a region holds, so much of it.
struct NotFilled {
    const RegionReader* region;
    float strength;  // 0 to 1
};

// Half a second on either side goes on into the region (core/dsp/continuation.h), in its bands only. Regions
// of more than 30 s are left alone.
[[nodiscard]] SoundFill fill_sound(const Source& source, const RegionReader& region,
                                   std::span<const NotFilled> without);

}  // namespace rivlen
