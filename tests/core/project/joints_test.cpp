// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/joints.h"

#include <gtest/gtest.h>

#include <array>

namespace rivlen {
namespace {

constexpr int kJointRate = 48000;
constexpr std::int64_t kSecond = kJointRate;
constexpr std::int64_t kEdge = kSecond * 5 / 1000, kHalfJoint = kSecond * 5 / 1000;

// One recording of ten seconds on one track.
Timeline ten_seconds_long() {
    Timeline t;
    t.sample_rate = kJointRate;
    place_clip(t, {"a.wav", 0, 10 * kSecond, false, false, "A"}, ClipSource::Whole, 0);
    return t;
}
std::int64_t ten_seconds(const std::filesystem::path&) {
    return 10 * kSecond;
}
std::vector<PlayedClip> played(const Timeline& t, const Likeness& likeness = {}) {
    return played_clips(t, t.tracks[0], ten_seconds, likeness);
}
int id_of(const Timeline& t, std::size_t clip) {
    return t.tracks[0].clips[clip].id;
}

TEST(Joints, ARecordingAndACutThroughItStayAsTheyAre) {
    Timeline t = ten_seconds_long();
    split_tracks(t, {}, 4 * kSecond);
    const auto clips = played(t);
    ASSERT_EQ(clips.size(), 2U);
    for (std::size_t i = 0; i < 2; ++i) EXPECT_EQ(clips[i].clip, t.tracks[0].clips[i]);
}

TEST(Joints, AGapHasFadesOnBothSides) {
    Timeline t = ten_seconds_long();
    split_tracks(t, {}, 4 * kSecond);
    split_tracks(t, {}, 5 * kSecond);
    delete_clips(t, std::array{id_of(t, 1)}, false);
    const auto clips = played(t);
    ASSERT_EQ(clips.size(), 2U);
    EXPECT_EQ(clips[0].clip.fade_in.frames, 0);  // the recording begins like this
    EXPECT_EQ(clips[0].clip.fade_out, (Fade{kEdge, FadeShape::Linear}));
    EXPECT_EQ(clips[0].clip.end(), 4 * kSecond);
    EXPECT_EQ(clips[1].clip.fade_in, (Fade{kEdge, FadeShape::Linear}));
    EXPECT_EQ(clips[1].clip.fade_out.frames, 0);
    t.edge_fade_ms = 0;
    EXPECT_EQ(played(t)[0].clip.fade_out.frames, 0);
}

// Half of the cross-fade comes from behind the first clip, half from before the second.
TEST(Joints, AClosedGapCrossFades) {
    Timeline t = ten_seconds_long();
    split_tracks(t, {}, 4 * kSecond);
    split_tracks(t, {}, 5 * kSecond);
    delete_clips(t, std::array{id_of(t, 1)}, true);
    for (const double likeness : {0.2, 0.9}) {
        const auto clips = played(t, [likeness](const Clip&, const Clip&) { return likeness; });
        const auto shape = likeness > kAlike ? FadeShape::Linear : FadeShape::EqualPower;
        EXPECT_EQ(clips[0].clip.end(), 4 * kSecond + kHalfJoint);
        EXPECT_EQ(clips[1].clip.start, 4 * kSecond - kHalfJoint);
        EXPECT_EQ(clips[1].clip.offset, 5 * kSecond - kHalfJoint);
        EXPECT_EQ(clips[1].clip.end(), 9 * kSecond);
        EXPECT_EQ(clips[0].clip.fade_out, (Fade{2 * kHalfJoint, shape}));
        EXPECT_EQ(clips[1].clip.fade_in, (Fade{2 * kHalfJoint, shape}));
    }
    t.joint_fade_ms = 100;
    EXPECT_EQ(played(t)[0].clip.fade_out.frames, kSecond / 10);
}

// A muted stretch that is heard again leaves no trace.
TEST(Joints, WhatIsMutedFadesAndComesBackWhole) {
    Timeline t = ten_seconds_long();
    mute_ranges(t, std::array{LoopRange{4 * kSecond, 5 * kSecond}}, {});
    auto clips = played(t);
    ASSERT_EQ(clips.size(), 2U);
    EXPECT_EQ(clips[0].from, 0U);
    EXPECT_EQ(clips[1].from, 2U);
    EXPECT_EQ(clips[0].clip.fade_out.frames, kEdge);
    t.tracks[0].clips[1].mute = false;
    clips = played(t);
    ASSERT_EQ(clips.size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) EXPECT_EQ(clips[i].clip, t.tracks[0].clips[i]);
}

TEST(Joints, AFadeThatWasSetIsLeftAlone) {
    Timeline t = ten_seconds_long();
    split_tracks(t, {}, 4 * kSecond);
    trim_start(t, id_of(t, 1), kSecond);
    move_clips(t, std::array{id_of(t, 1)}, -kSecond);
    set_fade(t, id_of(t, 0), false, {1000, FadeShape::Smooth});
    const auto clips = played(t);
    EXPECT_EQ(clips[0].clip, t.tracks[0].clips[0]);
    EXPECT_EQ(clips[1].clip.fade_in, (Fade{kEdge, FadeShape::Linear}));  // it cannot cross-fade with that
    EXPECT_EQ(clips[1].clip.start, 4 * kSecond);
}

// Where a recording has nothing beyond the joint, the other side gives what it has; with nothing on either
// side both fade.
TEST(Joints, AreAsLongAsThereIsMaterial) {
    Timeline t;
    t.sample_rate = kJointRate;
    place_clip(t, {"a.wav", 0, 10 * kSecond, false, false, "A"}, ClipSource::Whole, 0);
    place_clip(t, {"b.wav", 10 * kSecond, 10 * kSecond, false, false, ""}, ClipSource::Whole, t.tracks[0].id);
    auto clips = played(t);
    EXPECT_EQ(clips[0].clip, t.tracks[0].clips[0]);  // both as they come
    EXPECT_EQ(clips[1].clip, t.tracks[0].clips[1]);
    trim_end(t, id_of(t, 0), -kSecond, ten_seconds);
    move_clips(t, std::array{id_of(t, 1)}, -kSecond);
    clips = played(t);
    EXPECT_EQ(clips[0].clip.end(), 9 * kSecond + kHalfJoint);
    EXPECT_EQ(clips[0].clip.fade_out.frames, kHalfJoint);
    EXPECT_EQ(clips[1].clip.start, 9 * kSecond);
    EXPECT_EQ(clips[1].clip.fade_in.frames, kHalfJoint);
}

TEST(Joints, ShortClipsKeepTheirMiddle) {
    Timeline t = ten_seconds_long();
    split_tracks(t, {}, 4 * kSecond);
    split_tracks(t, {}, 4 * kSecond + 100);
    delete_clips(t, std::array{id_of(t, 0)}, false);
    delete_clips(t, std::array{id_of(t, 1)}, false);
    const auto clips = played(t);
    ASSERT_EQ(clips.size(), 1U);
    EXPECT_EQ(clips[0].clip.fade_in.frames, 50);
    EXPECT_EQ(clips[0].clip.fade_out.frames, 50);
}

// Another level, another source or room tone in its place is other sound.
TEST(Joints, OtherSoundOfTheSamePlaceIsNotPlayedOn) {
    Clip earlier;
    earlier.path = "a.wav";
    earlier.clip_source = ClipSource::Kept;
    earlier.offset = 500;
    earlier.length = 1000;
    Clip later = earlier;
    later.start = 1000;
    later.offset = 1500;
    EXPECT_TRUE(plays_on(earlier, later));
    for (const auto& change : std::initializer_list<void (*)(Clip&)>{
             [](Clip& c) { c.gain_db = -1; }, [](Clip& c) { c.clip_source = ClipSource::Ambience; },
             [](Clip& c) { c.card = 2; }, [](Clip& c) { c.room_tone = true; }, [](Clip& c) { ++c.offset; },
             [](Clip& c) { ++c.start; }, [](Clip& c) { c.path = "b.wav"; }}) {
        Clip other = later;
        change(other);
        EXPECT_FALSE(plays_on(earlier, other));
    }
}

TEST(RoomToneEdits, MutingLeavesIt) {
    Timeline t = ten_seconds_long();
    const int dialogue =
        place_clip(t, {"a.wav", 0, 10 * kSecond, false, false, "D"}, ClipSource::Dialogue, 0);
    const auto known = [](const std::filesystem::path& path) { return path == "a.wav"; };
    mute_ranges(t, std::array{LoopRange{4 * kSecond, 5 * kSecond}}, {}, known);
    EXPECT_TRUE(t.tracks[0].clips[1].room_tone);
    EXPECT_FALSE(t.tracks[0].clips[1].mute);
    EXPECT_TRUE(t.tracks[1].clips[1].mute);  // a voice has none: its ambience is elsewhere
    EXPECT_NE(t.clip(dialogue), nullptr);
    Timeline unknown = ten_seconds_long();
    mute_ranges(unknown, std::array{LoopRange{4 * kSecond, 5 * kSecond}}, {},
                [](const auto&) { return false; });
    EXPECT_TRUE(unknown.tracks[0].clips[1].mute);
    toggle_room_tone(t, std::array{id_of(t, 1)});
    EXPECT_FALSE(t.tracks[0].clips[1].room_tone);
    toggle_room_tone(t, std::array{id_of(t, 1)});
    EXPECT_TRUE(t.tracks[0].clips[1].room_tone);
}

// Room tone has no end, unlike the recording that it comes from.
TEST(RoomToneEdits, IsTrimmedBeyondTheRecording) {
    Timeline t = ten_seconds_long();
    trim_end(t, id_of(t, 0), kSecond, ten_seconds);
    EXPECT_EQ(t.tracks[0].clips[0].length, 10 * kSecond);
    t.tracks[0].clips[0].room_tone = true;
    trim_end(t, id_of(t, 0), 5 * kSecond, ten_seconds);
    EXPECT_EQ(t.tracks[0].clips[0].length, 15 * kSecond);
    EXPECT_TRUE(well_formed(t));
}

TEST(RoomToneEdits, GapsOfARangeAreFilled) {
    Timeline t = ten_seconds_long();
    for (const std::int64_t s : {2, 3, 6, 7}) split_tracks(t, {}, s * kSecond);
    delete_clips(t, std::array{id_of(t, 1)}, false);  // 2 to 3
    t.tracks[0].clips[2].mute = true;                 // 6 to 7
    t.tracks[0].clips[0].gain_db = -3;
    const auto known = [](const auto&) { return true; };
    const auto made = lay_room_tone(t, t.tracks[0].id, {kSecond, 12 * kSecond}, known);
    ASSERT_EQ(made.size(), 3U);
    const std::array<LoopRange, 3> wanted = {
        {{2 * kSecond, 3 * kSecond}, {6 * kSecond, 7 * kSecond}, {10 * kSecond, 12 * kSecond}}};
    for (std::size_t i = 0; i < 3; ++i) {
        const Clip& c = *t.clip(made[i]);
        EXPECT_TRUE(c.room_tone);
        EXPECT_FALSE(c.mute);
        EXPECT_EQ(c.gain_db, -3);
        EXPECT_EQ(c.start, wanted[i].first);
        EXPECT_EQ(c.end(), wanted[i].last);
    }
    EXPECT_TRUE(well_formed(t));
    // They meet what is around them in cross-fades; at the recording's end only they have more to give.
    for (const auto& p : played(t)) {
        if (p.clip.room_tone) {
            EXPECT_GE(p.clip.fade_in.frames, kHalfJoint);
        }
    }
    EXPECT_TRUE(lay_room_tone(t, t.tracks[0].id, {kSecond, 12 * kSecond}, known).empty());  // no gap
    EXPECT_TRUE(lay_room_tone(t, t.tracks[0].id, {20, 10}, known).empty());
    EXPECT_TRUE(lay_room_tone(t, 12345, {0, 10}, known).empty());
    Timeline voice;
    voice.sample_rate = kJointRate;
    place_clip(voice, {"a.wav", 0, kSecond, false, false, "D"}, ClipSource::Dialogue, 0);
    EXPECT_TRUE(lay_room_tone(voice, voice.tracks[0].id, {0, 5 * kSecond}, known).empty());
}

}  // namespace
}  // namespace rivlen
