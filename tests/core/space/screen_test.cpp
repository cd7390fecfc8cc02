// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/screen.h"

#include <gtest/gtest.h>

#include <cmath>

namespace rivlen {
namespace {

// A screen 60 degrees wide: its edge at 30, a point halfway at atan(tan(30) / 2).
TEST(Screens, PointsLieWhereRaysThroughThemGo) {
    const double wide = 16.0 / 9;
    EXPECT_NEAR(direction_of_point({0.5, 0.5}, 60, wide).azimuth_deg, 0, 1e-9);
    EXPECT_NEAR(direction_of_point({0, 0.5}, 60, wide).azimuth_deg, 30, 1e-9);
    EXPECT_NEAR(direction_of_point({0.75, 0.5}, 60, wide).azimuth_deg,
                -degrees(std::atan(std::tan(radians(30)) / 2)), 1e-9);
    EXPECT_NEAR(direction_of_point({0.5, 0}, 60, wide).elevation_deg,
                degrees(std::atan(std::tan(radians(30)) / wide)), 1e-9);
    EXPECT_NEAR(direction_of_point({0, 0.25}, 360, 2).azimuth_deg, 180, 1e-9);
    EXPECT_NEAR(direction_of_point({0.25, 0.25}, 360, 2).elevation_deg, 45, 1e-9);
}

TEST(Screens, DirectionsComeBackToTheirPoints) {
    for (const double width : {20.0, 60.0, 150.0, 360.0}) {
        for (double x = 0.05; x < 1; x += 0.15) {
            for (double y = 0.05; y < 1; y += 0.15) {
                const auto back = point_of_direction(direction_of_point({x, y}, width, 2), width, 2);
                ASSERT_TRUE(back.has_value());
                EXPECT_NEAR(back->x, x, 1e-9);
                EXPECT_NEAR(back->y, y, 1e-9);
            }
        }
    }
    EXPECT_FALSE(point_of_direction({120, 0}, 60, 2).has_value());  // behind
    EXPECT_FALSE(point_of_direction({40, 0}, 60, 2).has_value());   // beside
}

}  // namespace
}  // namespace rivlen
