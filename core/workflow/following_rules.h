// SPDX-License-Identifier: GPL-3.0-or-later
// What is followed in the picture becomes lines of a track's place.
#pragma once

#include <optional>

#include "core/follow/following.h"
#include "core/project/session.h"

namespace rivlen {

// What of which picture is followed from a frame of the session on: to the end of the loop where it lies
// within it, else to the end of the picture's cut.
struct FollowedRange {
    std::filesystem::path picture;
    std::int64_t first = 0, last = 0;            // of the session
    double first_seconds = 0, last_seconds = 0;  // of the picture
    double frames_a_second = 25;
};
// Nothing where no picture is shown.
[[nodiscard]] std::optional<FollowedRange> range_to_follow(const Timeline& timeline, std::int64_t frame);

// Lines of azimuth, and of elevation where the bus has height, over the range; what they said there before
// goes, outside it stays. Returns how long it was lost, in seconds; the longest stretch first.
std::vector<FollowedStretch> write_followed(Timeline& timeline, int strip, const FollowedRange& range,
                                            const Following& following, double aspect);

}  // namespace rivlen
