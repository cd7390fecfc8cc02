// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/screen.h"

#include <algorithm>
#include <cmath>

namespace rivlen {

Direction direction_of_point(PicturePoint point, double width_deg, double aspect) {
    if (width_deg > kMostScreenDeg) return {180 - 360 * point.x, 90 - 180 * point.y};
    const double half = std::tan(radians(std::max(width_deg, kLeastScreenDeg) / 2));
    return direction_of({1, (1 - 2 * point.x) * half, (1 - 2 * point.y) * half / aspect});
}

std::optional<PicturePoint> point_of_direction(Direction direction, double width_deg, double aspect) {
    if (width_deg > kMostScreenDeg)
        return PicturePoint{(180 - wrapped_azimuth_deg(direction.azimuth_deg)) / 360,
                            (90 - direction.elevation_deg) / 180};
    const Vector3 at = unit_vector(direction);
    if (at[0] <= 0) return {};
    const double half = std::tan(radians(std::max(width_deg, kLeastScreenDeg) / 2));
    const PicturePoint point = {0.5 - at[1] / at[0] / half / 2, 0.5 - at[2] / at[0] / half * aspect / 2};
    if (point.x < 0 || point.x > 1 || point.y < 0 || point.y > 1) return {};
    return point;
}

}  // namespace rivlen
