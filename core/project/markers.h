// SPDX-License-Identifier: GPL-3.0-or-later
// Named places on the session's line.
#pragma once

#include "core/project/timeline.h"

namespace rivlen {

// A marker at a frame, named by the next free number; where there is one, that one goes. Its id, 0 when it
// went.
int toggle_marker(Timeline& timeline, std::int64_t frame);
// To another frame; one that is there already goes. Frames below 0 are 0.
void move_marker(Timeline& timeline, int id, std::int64_t frame);
void rename_marker(Timeline& timeline, int id, const std::string& name);
// The next one behind or before a frame; null where there is none.
[[nodiscard]] const Marker* next_marker(const Timeline& timeline, std::int64_t frame);
[[nodiscard]] const Marker* previous_marker(const Timeline& timeline, std::int64_t frame);
// By frame; of several at one frame the first stays.
void put_in_order(std::vector<Marker>& markers);

}  // namespace rivlen
