// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/placing.h"

#include <gtest/gtest.h>

#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

PlacedRecording recording(const std::string& name, std::int64_t frames, int rate, std::int64_t at = 0) {
    return {name, frames, rate, {}, at};
}

TEST(Placing, TheFirstRecordingDecidesTheRateAndLaterOnesFollowIt) {
    Timeline timeline;
    place_recording_stems(timeline, recording("/a/first.wav", 96000, 48000));
    EXPECT_EQ(timeline.sample_rate, 48000);
    ASSERT_EQ(timeline.tracks.size(), std::size_t{kStems});
    place_recording(timeline, recording("/a/second.wav", 44100, 44100, 5000), 0);
    EXPECT_EQ(timeline.sample_rate, 48000);
    ASSERT_EQ(timeline.tracks.size(), std::size_t{kStems} + 1);
    const Clip& clip = timeline.tracks.back().clips.at(0);
    EXPECT_EQ(clip.length, 48000);  // a second is a second
    EXPECT_EQ(clip.start, 5000);
    EXPECT_EQ(clip.clip_source, ClipSource::Whole);
}

// A camera's file from 10:00:00:00 on, and a recorder's that began 4.5 s later: a microphone finds its place
// by its time reference, to the sample, wherever its clip was cut.
TEST(Placing, ClipsFindTheirPlaceByTheirOwnTimecode) {
    Timeline timeline;
    timeline.sample_rate = 48000;
    timeline.frame_rate = {30000, 1001};
    timeline.first_timecode_frame = *parse_timecode("10:00:00:00", timeline.frame_rate);
    Clip clip;
    clip.offset = 24000;
    MediaInfo info;
    EXPECT_FALSE(start_by_timecode(timeline, clip, info).has_value());
    const double ten = 10 * 3600 * 1.001;  // hours of 29.97 without dropped numbers take that long
    info.time_reference_seconds = ten + 4.5;
    EXPECT_EQ(start_by_timecode(timeline, clip, info), 216000 + 24000);
    info.time_reference_seconds = ten - 1;
    EXPECT_FALSE(start_by_timecode(timeline, clip, info).has_value());
    info.picture.emplace();
    info.picture->frame_rate_num = 25;
    info.picture->timecode = "10:00:40:05";  // 36040.2 s; the line begins at 36036
    EXPECT_EQ(start_by_timecode(timeline, clip, info), 201600 + 24000);
}

TEST(Placing, StemsPlayOneGroupOfTheSameLength) {
    Timeline timeline;
    place_recording_stems(timeline, recording("/a/first.wav", 96000, 48000, 480));
    for (const auto& track : timeline.tracks) {
        ASSERT_EQ(track.clips.size(), 1U);
        EXPECT_EQ(track.clips[0].start, 480);
        EXPECT_EQ(track.clips[0].length, 96000);
        EXPECT_EQ(track.clips[0].group, timeline.tracks[0].clips[0].group);
        EXPECT_TRUE(sound_of_clip_source(track.clips[0].clip_source).has_value());
    }
    EXPECT_TRUE(timeline.picture.empty());
}

TEST(Placing, AChainComesWithIdsOfItsOwn) {
    Timeline timeline;
    const std::vector<Insert> chain = {make_part(EffectType::Gain, 1), make_part(EffectType::Limiter, 1)};
    place_recording(timeline, recording("/a/voice.wav", 1000, 48000), 0, chain);
    place_recording(timeline, recording("/a/other.wav", 1000, 48000), 0, chain);
    std::set<int> ids;
    for (const auto& track : timeline.tracks) {
        for (const auto& insert : track.strip.chain) ids.insert(insert.id);
    }
    EXPECT_EQ(ids.size(), 4U);
    // On a track that is there, the track's own chain stays.
    const int track = timeline.tracks.front().id;
    place_recording(timeline, recording("/a/more.wav", 1000, 48000, 20000), track,
                    {make_part(EffectType::Gate, 1)});
    EXPECT_EQ(timeline.track(track)->strip.chain.size(), 2U);
}

TEST(Placing, ASessionOfOneRecordingHasItsStems) {
    const Session session = session_of_recording(recording("/a/take.wav", 48000, 48000), "hash");
    ASSERT_EQ(session.items.size(), 1U);
    EXPECT_EQ(session.items[0].hash, "hash");
    EXPECT_EQ(session.current, 0);
    EXPECT_EQ(session.timeline.tracks.size(), std::size_t{kStems});
}

}  // namespace
}  // namespace rivlen
