// SPDX-License-Identifier: GPL-3.0-or-later
// The ways of listening to a recording, and the range that is listened to again and again.
#pragma once

#include <cstdint>

namespace rivlen {

// Kept, removed and cut add up to the source; so do the stems and what is cut. Cut is what corrections took
// out of the whole (corrections.h): silence without such corrections.
enum class Monitor { Source = 0, Kept, Removed, Dialogue, Reverb, Music, Ambience, Cut };
inline constexpr int kMonitors = 8;

// A loop is no shorter: at every turn what is heard is rendered anew, and less than this is a buzz.
inline constexpr double kShortestLoopSeconds = 0.02;

struct LoopRange {
    std::int64_t first = 0;  // frames
    std::int64_t last = 0;   // one past the end
    bool operator==(const LoopRange&) const = default;
};

}  // namespace rivlen
