// SPDX-License-Identifier: GPL-3.0-or-later
// What a value that changes over time is made of: points in order of time, with straight lines between them.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace rivlen {

struct Breakpoint {
    std::int64_t frame = 0;
    double value = 0;  // in the unit of the setting
    bool operator==(const Breakpoint&) const = default;
};

// Lines are straight between points, level before the first and after the last. Points stand in order of
// time.
[[nodiscard]] double lane_value(std::span<const Breakpoint> points, std::int64_t frame);  // needs a point
// Sets a point, in place of one at the same frame.
void put_point(std::vector<Breakpoint>& points, Breakpoint point);
// Brings points that come in any order (as in a file) into the order of time; of several at one frame the
// last stays.
void order_points(std::vector<Breakpoint>& points);
// Moves the point at a frame, between its neighbours and never onto them. Returns where it is then; without a
// point there nothing changes.
std::int64_t move_point(std::vector<Breakpoint>& points, std::int64_t from, Breakpoint to);
// Removes the points of [first, last).
void erase_points(std::vector<Breakpoint>& points, std::int64_t first, std::int64_t last);

// Leaves out points without which the line stays within `tolerance` of where it was (Ramer 1972; Douglas and
// Peucker 1973, with the distance taken along the value).
[[nodiscard]] std::vector<Breakpoint> thinned(std::span<const Breakpoint> points, double tolerance);

}  // namespace rivlen
