// SPDX-License-Identifier: GPL-3.0-or-later
// What is done with the loop of a recording.
#pragma once

#include "core/project/session.h"

namespace rivlen {

// Goes round: no pre-roll, one, two, five seconds. sample_rate: the recording's, Hz. Returns seconds.
int step_pre_roll(SessionItem& item, int sample_rate);

// Settings of its own for the loop range, which begin as those that are heard there and fade in and out over
// 50 ms; dropped when the range has such already. The item has a loop. True: it has its own now.
bool toggle_own_settings(SessionItem& item, int sample_rate);

}  // namespace rivlen
