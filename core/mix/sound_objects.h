// SPDX-License-Identifier: GPL-3.0-or-later
// Placed tracks as objects: sound of their own, and where it comes from over time (ITU-R BS.2076, "Objects").
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/project/timeline.h"
#include "core/space/direction.h"

namespace rivlen {

// From start on the sound goes in a straight line from where the block before left it to here; the first
// block is here all along.
struct ObjectBlock {
    double start_seconds = 0, duration_seconds = 0;
    Direction at;  // at the block's end; azimuth from -180 to 180
    double spread_percent = 0;
};

struct SoundObject {
    int track = 0;  // id
    std::string name;
    std::vector<std::vector<ObjectBlock>> sides;  // of each channel of the track
};

// Whether a track is a source in the main bus itself, so that it can be handed over beside the bed: mono or
// stereo, with clips, in a main bus of more than two channels.
[[nodiscard]] bool can_be_object(const Timeline& timeline, const Track& track);

// All of them in [first, last), which is where time 0 is. Blocks begin at multiples of 10 ms and are no
// longer than it takes to move by 5 degrees, or to spread by 5 %, as renderers may go straight from gains to
// gains (ITU-R BS.2127).
[[nodiscard]] std::vector<SoundObject> sound_objects(const Timeline& timeline, std::int64_t first,
                                                     std::int64_t last);

}  // namespace rivlen
