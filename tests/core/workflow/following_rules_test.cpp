// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/following_rules.h"

#include <gtest/gtest.h>

#include "core/project/editing.h"

namespace rivlen {
namespace {

// A picture whose second second is shown from the third second of the session on, for five seconds.
Timeline with_picture(Layout main) {
    Timeline r;
    r.sample_rate = 48000;
    add_track(r, "Voice");
    set_layout(r, r.main_bus(), main);
    r.tracks[0].layout = Layout::Mono;
    r.picture.push_back({r.new_id(), "shot.mov", 3 * 48000, 48000, 5 * 48000});
    return r;
}

TEST(FollowingRules, GoToTheEndOfTheLoopOrOfTheCut) {
    Timeline r = with_picture(Layout::Surround51);
    EXPECT_FALSE(range_to_follow(r, 48000).has_value());  // nothing is shown there
    auto range = range_to_follow(r, 4 * 48000);
    ASSERT_TRUE(range.has_value());
    EXPECT_EQ(range->picture, "shot.mov");
    EXPECT_EQ(range->last, 8 * 48000);
    EXPECT_DOUBLE_EQ(range->first_seconds, 2);
    EXPECT_DOUBLE_EQ(range->last_seconds, 6);
    r.loop = LoopRange{3 * 48000, 5 * 48000};
    EXPECT_EQ(range_to_follow(r, 4 * 48000)->last, 5 * 48000);
    EXPECT_EQ(range_to_follow(r, 6 * 48000)->last, 8 * 48000);  // the playhead is outside of it
}

TEST(FollowingRules, ReplaceTheLineInTheRangeAndLeaveTheRest) {
    for (const Layout layout : {Layout::Surround51, Layout::Surround714}) {
        Timeline r = with_picture(layout);
        const int track = r.tracks[0].id;
        const StripLane azimuth{LaneTarget::Azimuth, 0, 0, {}}, elevation{LaneTarget::Elevation, 0, 0, {}};
        set_points(r.tracks[0].strip, azimuth, {{0, 90}, {5 * 48000, 80}, {9 * 48000, -90}});
        const auto range = range_to_follow(r, 4 * 48000);
        ASSERT_TRUE(range.has_value());
        Following following;
        for (int k = 0; k < 100; ++k)
            following.frames.push_back(
                {2 + k / 25.0, {{0.5 - 0.004 * k, 0.25, 0.1, 0.1}, 1, k >= 50 && k < 60}});
        following.lost = {{4, 4.4}};
        const auto lost = write_followed(r, track, *range, following, 16.0 / 9);
        ASSERT_EQ(lost.size(), 1U);
        const Strip& strip = r.tracks[0].strip;
        EXPECT_NEAR(value_at(strip, azimuth, 4 * 48000), 0, 0.3);
        EXPECT_NEAR(value_at(strip, azimuth, 5 * 48000),
                    direction_of_point({0.4, 0.25}, 60, 16.0 / 9).azimuth_deg, 0.3);
        EXPECT_EQ(value_at(strip, azimuth, 0), 90);
        EXPECT_EQ(value_at(strip, azimuth, 9 * 48000), -90);
        EXPECT_EQ(find_lane(strip, elevation) != nullptr, layout == Layout::Surround714);
        EXPECT_TRUE(well_formed(r));
        for (const auto& point : points_of(strip, azimuth))
            EXPECT_TRUE(point.frame < 6 * 48000 - 960 || point.frame >= 6 * 48000 + 18240) << point.frame;
    }
}

}  // namespace
}  // namespace rivlen
