// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/automation/lane.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "core/automation/recorder.h"

namespace rivlen {
namespace {

TEST(Lane, IsStraightBetweenPointsAndLevelOutside) {
    std::vector<Breakpoint> points;
    put_point(points, {200, 10});
    put_point(points, {100, 0});
    EXPECT_DOUBLE_EQ(lane_value(points, 0), 0);
    EXPECT_DOUBLE_EQ(lane_value(points, 125), 2.5);
    EXPECT_DOUBLE_EQ(lane_value(points, 150), 5);
    EXPECT_DOUBLE_EQ(lane_value(points, 900), 10);
    put_point(points, {100, 4});  // in place of the one that is there
    EXPECT_EQ(points.size(), 2U);
    EXPECT_DOUBLE_EQ(lane_value(points, 150), 7);
    erase_points(points, 100, 200);
    EXPECT_EQ(points, (std::vector<Breakpoint>{{200, 10}}));
}

TEST(Lane, APointMovesBetweenItsNeighboursAndNeverOntoThem) {
    std::vector<Breakpoint> points = {{100, 1}, {200, 2}, {300, 3}};
    EXPECT_EQ(move_point(points, 200, {250, 7}), 250);
    EXPECT_EQ(points[1], (Breakpoint{250, 7}));
    EXPECT_EQ(move_point(points, 250, {900, 8}), 299);
    EXPECT_EQ(move_point(points, 299, {-50, 9}), 101);
    EXPECT_EQ(points[1], (Breakpoint{101, 9}));
    EXPECT_EQ(move_point(points, 100, {5000, 4}), 100);  // there is no room
    EXPECT_EQ(points[0], (Breakpoint{100, 4}));
    EXPECT_EQ(move_point(points, 300, {5000, 4}), 5000);
    EXPECT_EQ(move_point(points, 42, {60, 4}), 42);  // no such point
    EXPECT_EQ(points.size(), 3U);
    EXPECT_TRUE(std::ranges::is_sorted(points, {}, &Breakpoint::frame));
}

TEST(Lane, PointsInAnyOrderComeIntoTheOrderOfTimeAndTheLastOfSeveralStays) {
    std::vector<Breakpoint> points = {{30, 3}, {10, 1}, {30, 4}, {20, 2}, {10, 5}};
    order_points(points);
    EXPECT_EQ(points, (std::vector<Breakpoint>{{10, 5}, {20, 2}, {30, 4}}));
    points.clear();
    for (int i = 300'000; i > 0; --i) points.push_back({i, 0.5 * i});  // a file that has them backwards
    order_points(points);
    ASSERT_EQ(points.size(), 300'000U);
    EXPECT_TRUE(std::ranges::is_sorted(points, {}, &Breakpoint::frame));
    EXPECT_DOUBLE_EQ(lane_value(points, 1000), 500);
}

TEST(Lane, ThinningStaysWithinItsTolerance) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> step(-1, 1);
    std::vector<Breakpoint> points;
    double value = 0;
    for (int i = 0; i < 2000; ++i) points.push_back({i * 480, value += step(random)});
    for (const double tolerance : {0.0, 0.5, 3.0}) {
        const auto thin = thinned(points, tolerance);
        EXPECT_LE(thin.size(), points.size());
        for (const auto& point : points)
            ASSERT_NEAR(lane_value(thin, point.frame), point.value, tolerance + 1e-9);
    }
    EXPECT_LT(thinned(points, 3.0).size(), 400U);
}

// A straight stretch needs its ends only.
TEST(Lane, ThinningAStraightLineLeavesTwoPoints) {
    std::vector<Breakpoint> points;
    for (int i = 0; i <= 100; ++i) points.push_back({i, 2.0 * i});
    EXPECT_EQ(thinned(points, 1e-6), (std::vector<Breakpoint>{{0, 0}, {100, 200}}));
}

// What lies between two calls of one movement is overwritten; what lies outside stays.
TEST(Lane, WritingByHandOverwritesWhatItPassesOver) {
    std::vector<Breakpoint> points = {{0, 1}, {100, 1}, {200, 1}, {300, 1}, {400, 1}};
    AutomationRecorder recorder;
    recorder.write(points, 100, 5);
    recorder.write(points, 250, 6);
    EXPECT_TRUE(recorder.wrote_a_stretch());
    EXPECT_DOUBLE_EQ(lane_value(points, 100), 5);
    EXPECT_DOUBLE_EQ(lane_value(points, 250), 6);
    EXPECT_EQ(std::ranges::count(points, 200, &Breakpoint::frame), 0);
    EXPECT_DOUBLE_EQ(lane_value(points, 0), 1);
    EXPECT_DOUBLE_EQ(lane_value(points, 300), 1);
    EXPECT_DOUBLE_EQ(lane_value(points, 400), 1);
}

}  // namespace
}  // namespace rivlen
