// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/looping.h"

#include <gtest/gtest.h>

namespace rivlen {
namespace {

constexpr std::int64_t kLoopedFrames = 1000;
constexpr int kLoopRate = 1000;  // the shortest loop has 20 frames

std::pair<std::int64_t, std::int64_t> ends(const SessionItem& item) {
    return {item.loop->first, item.loop->last};
}

TEST(Looping, TheEndsAreSetOneByOne) {
    SessionItem item;
    item.loop_on = false;
    begin_loop(item, 300, kLoopedFrames, kLoopRate);  // without a loop it goes to the end
    EXPECT_EQ(ends(item), std::pair(std::int64_t{300}, kLoopedFrames));
    EXPECT_TRUE(item.loop_on);
    end_loop(item, 500, kLoopedFrames, kLoopRate);
    EXPECT_EQ(ends(item), std::pair(std::int64_t{300}, std::int64_t{500}));
    begin_loop(item, 400, kLoopedFrames, kLoopRate);
    EXPECT_EQ(ends(item), std::pair(std::int64_t{400}, std::int64_t{500}));
    begin_loop(item, 600, kLoopedFrames, kLoopRate);  // the end would lie before it
    EXPECT_EQ(ends(item), std::pair(std::int64_t{600}, kLoopedFrames));
    end_loop(item, 200, kLoopedFrames, kLoopRate);
    EXPECT_EQ(ends(item), std::pair(std::int64_t{0}, std::int64_t{200}));
}

TEST(Looping, NeverTooShortNorOutside) {
    const auto check = [](const SessionItem& item) {
        EXPECT_GE(item.loop->first, 0);
        EXPECT_GE(item.loop->last - item.loop->first, 20);
        EXPECT_LE(item.loop->last, kLoopedFrames);
    };
    for (const std::int64_t at : {-5, 0, 1, 19, 500, 999, 1000, 2000}) {
        SessionItem item;
        begin_loop(item, at, kLoopedFrames, kLoopRate);
        check(item);
        end_loop(item, at, kLoopedFrames, kLoopRate);
        check(item);
        begin_loop(item, at, kLoopedFrames, kLoopRate);
        check(item);
    }
    EXPECT_EQ(loop_between(50, 10, kLoopedFrames, kLoopRate), (LoopRange{10, 50}));
    EXPECT_EQ(loop_between(50, 51, kNoEnd, kLoopRate), (LoopRange{50, 70}));
    EXPECT_EQ(loop_between(3, 4, 7, kLoopRate), (LoopRange{0, 7}));  // there is no more
}

TEST(Looping, PreRollGoesRound) {
    SessionItem item;
    std::vector<int> seconds;
    for (int i = 0; i < 4; ++i) seconds.push_back(step_pre_roll(item, 44100));
    EXPECT_EQ(seconds, (std::vector<int>{1, 2, 5, 0}));
    EXPECT_EQ(item.pre_roll_frames, 0);
    step_pre_roll(item, 44100);
    EXPECT_EQ(item.pre_roll_frames, 44100);
}

TEST(Looping, ARangeTakesSettingsOfItsOwnAndDropsThem) {
    SessionItem item;
    item.settings.stems[0].set(Setting::Gain, -6);
    item.loop = LoopRange{4800, 9600};
    item.loop_on = false;
    ASSERT_TRUE(toggle_own_settings(item, 48000));
    ASSERT_EQ(item.ranges.size(), 1U);
    EXPECT_EQ(item.ranges[0].first, 4800);
    EXPECT_EQ(item.ranges[0].last, 9600);
    EXPECT_EQ(item.ranges[0].settings, item.settings);  // begins as what is heard
    EXPECT_TRUE(item.loop_on);
    item.edited().stems[0].set(Setting::Gain, -20);  // the controls change the range now, not the whole
    EXPECT_EQ(item.settings.stems[0].value(Setting::Gain), -6);
    EXPECT_FALSE(toggle_own_settings(item, 48000));
    EXPECT_TRUE(item.ranges.empty());
}

}  // namespace
}  // namespace rivlen
