// SPDX-License-Identifier: GPL-3.0-or-later
// The ways of listening to a recording, and the range that is listened to again and again.
#pragma once

#include <cstdint>

namespace rivlen {

enum class Monitor { Source = 0, Kept, Removed, Dialogue, Reverb, Music, Ambience };
inline constexpr int kMonitors = 7;

struct LoopRange {
    std::int64_t first = 0;  // frames
    std::int64_t last = 0;   // one past the end
    bool operator==(const LoopRange&) const = default;
};

}  // namespace rivlen
