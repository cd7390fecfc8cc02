// SPDX-License-Identifier: GPL-3.0-or-later
// Directions around a listener. Angles as ITU-R BS.2076 and BS.2051 count them: azimuth 0 ahead, positive to
// the left, -180 to 180; elevation 0 on ear height, 90 above.
#pragma once

#include <array>
#include <cmath>
#include <numbers>

namespace rivlen {

struct Direction {
    double azimuth_deg = 0, elevation_deg = 0;
    bool operator==(const Direction&) const = default;
};

// x ahead, y to the left, z up; of length 1 where it comes from a direction.
using Vector3 = std::array<double, 3>;

[[nodiscard]] inline double radians(double degrees) {
    return degrees * std::numbers::pi / 180;
}
[[nodiscard]] inline double degrees(double radians) {
    return radians * 180 / std::numbers::pi;
}

[[nodiscard]] inline Vector3 unit_vector(Direction d) {
    const double across = std::cos(radians(d.elevation_deg));
    return {across * std::cos(radians(d.azimuth_deg)), across * std::sin(radians(d.azimuth_deg)),
            std::sin(radians(d.elevation_deg))};
}
[[nodiscard]] inline double dot(const Vector3& a, const Vector3& b) {
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}
[[nodiscard]] inline Vector3 cross(const Vector3& a, const Vector3& b) {
    return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
// Of a vector of any length; straight ahead for none.
[[nodiscard]] inline Direction direction_of(const Vector3& v) {
    const double across = std::hypot(v[0], v[1]);
    if (across == 0 && v[2] == 0) return {};
    return {degrees(std::atan2(v[1], v[0])), degrees(std::atan2(v[2], across))};
}
// Between two vectors of any length but 0.
[[nodiscard]] inline double angle_between_deg(const Vector3& a, const Vector3& b) {
    const Vector3 c = cross(a, b);
    return degrees(std::atan2(std::sqrt(dot(c, c)), dot(a, b)));
}
// Brought into -180 to 180.
[[nodiscard]] inline double wrapped_azimuth_deg(double azimuth_deg) {
    return std::remainder(azimuth_deg, 360.0);
}

}  // namespace rivlen
