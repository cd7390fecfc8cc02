// SPDX-License-Identifier: GPL-3.0-or-later
// Directions all around with weights, so that weighted sums over them are means over the sphere.
#pragma once

#include <vector>

#include "core/space/direction.h"

namespace rivlen {

struct SphereNode {
    Direction direction;
    double weight = 0;  // all add up to 1
};
// A product of Gauss-Legendre nodes in height and even steps around: exact for polynomials of a degree below
// both 2 * heights and around (Abramowitz and Stegun 25.4.29).
[[nodiscard]] std::vector<SphereNode> sphere_grid(int heights, int around);

}  // namespace rivlen
