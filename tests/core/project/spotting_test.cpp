// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/spotting.h"

#include <gtest/gtest.h>

#include "core/project/editing.h"

namespace rivlen {
namespace {

Timeline session_at(int rate, FrameRate picture, std::int64_t first = 0) {
    Timeline t;
    t.sample_rate = rate;
    t.frame_rate = picture;
    t.first_timecode_frame = first;
    return t;
}

TEST(Spotting, UnitsHaveTheirSizes) {
    const Timeline t = session_at(48000, {25, 1});
    EXPECT_EQ(nudged(t, 1000, NudgeUnit::Sample, 3), 1003);
    EXPECT_EQ(nudged(t, 1000, NudgeUnit::Millisecond, -2), 904);
    EXPECT_EQ(nudged(t, 1000, NudgeUnit::TenMilliseconds, 1), 1480);
    EXPECT_EQ(nudged(t, 1000, NudgeUnit::Frame, 1), 2920);
    EXPECT_NEAR(static_cast<double>(nudged(t, 1000, NudgeUnit::Subframe, 100)), 2920, 1);
}

// 30000 frames of picture at 30000/1001 Hz are 1001 s, whatever is nudged one by one.
TEST(Spotting, NudgesDoNotAddUpTheirRounding) {
    for (const int rate : {44100, 48000, 96000}) {
        const Timeline t = session_at(rate, {30000, 1001});
        for (const std::int64_t from : {std::int64_t{0}, std::int64_t{12345}}) {
            std::int64_t at = from;
            for (int i = 0; i < 30000; ++i) at = nudged(t, at, NudgeUnit::Frame, 1);
            EXPECT_NEAR(static_cast<double>(at - from), 1001.0 * rate, 1) << rate;
            for (int i = 0; i < 30000; ++i) at = nudged(t, at, NudgeUnit::Frame, -1);
            EXPECT_NEAR(static_cast<double>(at), static_cast<double>(from), 1);
        }
    }
}

TEST(Spotting, ATypedTimecodeIsAPlaceOnTheLine) {
    const Timeline t = session_at(48000, {25, 1}, 10 * 3600 * 25);
    EXPECT_EQ(frame_of_timecode(t, "10:00:02:05"), 2 * 48000 + 5 * 1920);
    EXPECT_EQ(frame_of_timecode(t, "10:00:00:00"), 0);
    EXPECT_EQ(frame_of_timecode(t, "09:59:59:24"), std::nullopt);  // before the line begins
    EXPECT_EQ(frame_of_timecode(t, "10:00:00:25"), std::nullopt);
    EXPECT_EQ(frame_of_timecode(t, "soon"), std::nullopt);
    const Timeline ntsc = session_at(48000, {30000, 1001});
    for (const std::int64_t picture : {0, 1, 29, 1799, 17982})
        EXPECT_EQ(
            timecode_at(ntsc, *frame_of_timecode(ntsc, format_timecode(picture, ntsc.frame_rate, false))),
            format_timecode(picture, ntsc.frame_rate, false));
}

}  // namespace
}  // namespace rivlen
