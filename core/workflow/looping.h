// SPDX-License-Identifier: GPL-3.0-or-later
// What is done with the loop of a recording.
#pragma once

#include <limits>

#include "core/project/session.h"

namespace rivlen {

// Goes round: no pre-roll, one, two, five seconds. sample_rate: the recording's, Hz. Returns seconds.
int step_pre_roll(SessionItem& item, int sample_rate);

// From one place to the other, in whichever order, within a recording (frames long) or a session (without
// end: kNoEnd), and no shorter than kShortestLoopSeconds where there is room.
inline constexpr std::int64_t kNoEnd = std::numeric_limits<std::int64_t>::max();
[[nodiscard]] LoopRange loop_between(std::int64_t a, std::int64_t b, std::int64_t frames, int sample_rate);
// The loop begins at a frame of the recording, or ends there, and is on. Its other end stays where it is, or
// is that of the recording where there is no loop or where that end would not lie behind the beginning.
void begin_loop(SessionItem& item, std::int64_t frame, std::int64_t frames, int sample_rate);
void end_loop(SessionItem& item, std::int64_t frame, std::int64_t frames, int sample_rate);

// Settings of its own for the loop range, which begin as those that are heard there and fade in and out over
// 50 ms; dropped when the range has such already. The item has a loop. True: it has its own now.
bool toggle_own_settings(SessionItem& item, int sample_rate);

}  // namespace rivlen
