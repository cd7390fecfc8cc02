// SPDX-License-Identifier: GPL-3.0-or-later
// Where a point of the picture lies for a listener in the middle before it.
#pragma once

#include <optional>

#include "core/space/direction.h"

namespace rivlen {

inline constexpr double kLeastScreenDeg = 10, kMostScreenDeg = 150, kAllAroundDeg = 360;

// From 0 at the left or top edge to 1 at the right or bottom one.
struct PicturePoint {
    double x = 0.5, y = 0.5;
};
// width_deg: the angle from the screen's left to its right edge, kLeastScreenDeg to kMostScreenDeg: a flat
// screen straight ahead; from there on a picture all around (equirectangular), whatever its aspect. aspect:
// width by height.
[[nodiscard]] Direction direction_of_point(PicturePoint point, double width_deg, double aspect);
// Nothing for what is behind or beyond the edges of a flat screen.
[[nodiscard]] std::optional<PicturePoint> point_of_direction(Direction direction, double width_deg,
                                                             double aspect);

}  // namespace rivlen
