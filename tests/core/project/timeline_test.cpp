// SPDX-License-Identifier: GPL-3.0-or-later
// The rebuild as data: edits, groups, lines, JSON.
#include "core/project/timeline.h"

#include <gtest/gtest.h>

#include <array>
#include <random>
#include <set>

#include "core/project/editing.h"
#include "core/project/session.h"
#include "core/project/silences.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr std::int64_t kLong = 480000;
std::int64_t length_of(const std::filesystem::path&) {
    return kLong;
}

Timeline placed(std::int64_t at = 0, bool picture = true) {
    Timeline r;
    r.sample_rate = 48000;
    place_stems(r, {"talk.mov", at, kLong, true, picture, ""});
    return r;
}
std::vector<std::pair<std::int64_t, std::int64_t>> extents(const Track& track) {
    std::vector<std::pair<std::int64_t, std::int64_t>> out;
    for (const auto& c : track.clips) out.emplace_back(c.start, c.end());
    return out;
}
using Extents = std::vector<std::pair<std::int64_t, std::int64_t>>;

TEST(Timeline, StemsArePlacedAlignedOnTracksOfTheirOwn) {
    const Timeline r = placed(100);
    ASSERT_EQ(r.tracks.size(), kStems);
    for (std::size_t s = 0; s < kStems; ++s) {
        EXPECT_EQ(extents(r.tracks[s]), (Extents{{100, 100 + kLong}}));
        EXPECT_EQ(sound_of_clip_source(r.tracks[s].clips[0].clip_source), s);
        EXPECT_EQ(r.tracks[s].clips[0].group, r.tracks[0].clips[0].group);
    }
    ASSERT_EQ(r.picture.size(), 1U);
    EXPECT_TRUE(well_formed(r));
    Timeline again = r;
    place_stems(again, {"talk.mov", 100 + kLong, kLong, true, false, ""});
    EXPECT_EQ(again.tracks.size(), kStems);  // the same tracks are used again
    EXPECT_NE(again.tracks[0].clips[1].group, again.tracks[0].clips[0].group);
}

TEST(Timeline, MusicOpensIntoItsPartsOnTracksSetAsItsOwnIs) {
    Timeline r = placed(100);
    Track& music = r.tracks[kMusicSound];
    music.strip.gain_db = -3;
    music.strip.chain = {make_part(EffectType::Compressor, r.new_id()),
                         make_part(EffectType::Gate, r.new_id())};
    music.strip.lines.push_back({LaneTarget::Part, music.strip.chain[0].id, 0, {{0, 1.0}}});
    music.clips[0].gain_db = 2;
    const int group = music.clips[0].group;
    r.tracks[3].ducking.key_tracks = {music.id};
    const std::vector<int> chosen = {r.tracks[0].clips[0].id, music.clips[0].id};
    const auto opened = open_music_clips(r, chosen);  // the talk is left as it is
    ASSERT_EQ(opened.size(), std::size_t{kMusicParts});
    EXPECT_TRUE(well_formed(r));
    ASSERT_EQ(r.tracks.size(), std::size_t{kStems + kMusicParts});
    EXPECT_TRUE(r.tracks[kMusicSound].clips.empty());
    for (std::size_t p = 0; p < kMusicParts; ++p) {
        const Track& track = r.tracks[kMusicSound + 1 + p];  // below it
        ASSERT_EQ(track.clips.size(), 1U);
        const Clip& clip = track.clips[0];
        EXPECT_EQ(clip.id, opened[p]);
        EXPECT_EQ(sound_of_clip_source(clip.clip_source), kStems + p);
        EXPECT_TRUE(plays_music_part(clip.clip_source));
        EXPECT_EQ(std::pair(clip.start, clip.end()), std::pair(std::int64_t{100}, 100 + kLong));
        EXPECT_EQ(clip.gain_db, 2);
        EXPECT_EQ(clip.group, group);
        EXPECT_EQ(track.strip.gain_db, -3);
        ASSERT_EQ(track.strip.chain.size(), 2U);
        EXPECT_NE(track.strip.chain[0].id, r.tracks[kMusicSound].strip.chain[0].id);
        EXPECT_TRUE(r.tracks.back().ducking.has_key(track.id));
    }
    // Of a second piece of music they go on the same tracks, also where those stand elsewhere.
    place_clip(r, {"song.wav", 2 * kLong, kLong, true, false, ""}, ClipSource::Music, r.tracks.back().id);
    const std::vector<int> second = {r.tracks.back().clips.back().id};
    EXPECT_EQ(open_music_clips(r, second).size(), std::size_t{kMusicParts});
    EXPECT_EQ(r.tracks.size(), std::size_t{kStems + kMusicParts});
    EXPECT_TRUE(well_formed(r));
    const std::vector<int> one = {opened[1]};
    set_clip_source(r, one, ClipSource::Bass);
    EXPECT_EQ(r.clip(opened[1])->clip_source, ClipSource::Bass);
}

TEST(Timeline, CuttingOneCutsItsGroupUnlessGroupsAreOff) {
    Timeline r = placed();
    const std::array<int, 1> one = {r.tracks[0].clips[0].id};
    split_clips(r, one, 1000);
    for (const auto& t : r.tracks) EXPECT_EQ(extents(t), (Extents{{0, 1000}, {1000, kLong}}));
    // What lies behind is a group of its own.
    EXPECT_NE(r.tracks[0].clips[0].group, r.tracks[0].clips[1].group);
    EXPECT_EQ(r.tracks[0].clips[1].group, r.tracks[3].clips[1].group);
    EXPECT_EQ(r.tracks[2].clips[1].offset, 1000);
    r.edit_groups = false;
    const std::array<int, 1> later = {r.tracks[1].clips[1].id};
    split_clips(r, later, 5000);
    EXPECT_EQ(r.tracks[1].clips.size(), 3U);
    EXPECT_EQ(r.tracks[0].clips.size(), 2U);
    EXPECT_TRUE(well_formed(r));
}

TEST(Timeline, TrimAndSlipStopAtTheMaterial) {
    Timeline r = placed(1000);
    const int id = r.tracks[0].clips[0].id;
    trim_start(r, id, 200);
    EXPECT_EQ(r.clip(id)->start, 1200);
    EXPECT_EQ(r.clip(id)->offset, 200);
    EXPECT_EQ(r.tracks[3].clips[0].start, 1200);  // its group, too
    trim_start(r, id, -100000);
    EXPECT_EQ(r.clip(id)->start, 1000);
    EXPECT_EQ(r.clip(id)->offset, 0);
    trim_end(r, id, 50, length_of);
    EXPECT_EQ(r.clip(id)->length, kLong);  // nothing is left behind it
    trim_end(r, id, -3000, length_of);
    slip(r, id, 5000, length_of);
    EXPECT_EQ(r.clip(id)->offset, 3000);
    EXPECT_EQ(r.clip(id)->start, 1000);
    trim_end(r, id, -2 * kLong, length_of);
    EXPECT_EQ(r.clip(id)->length, 1);
    EXPECT_TRUE(well_formed(r));
}

TEST(Timeline, WhatAClipLandsOnIsCutAway) {
    Timeline r;
    r.sample_rate = 48000;
    const int a = place_clip(r, {"a.wav", 0, 1000, false, false, "One"}, ClipSource::Whole, 0);
    const int track = r.tracks[0].id;
    const int b = place_clip(r, {"b.wav", 2000, 100, false, false, ""}, ClipSource::Whole, track);
    const std::array<int, 1> moving = {b};
    EXPECT_EQ(move_clips(r, moving, -1600), -1600);
    EXPECT_EQ(extents(r.tracks[0]), (Extents{{0, 400}, {400, 500}, {500, 1000}}));
    EXPECT_EQ(r.tracks[0].clips[2].offset, 500);
    EXPECT_EQ(move_clips(r, moving, -10000), -400);  // not before the beginning
    EXPECT_NE(r.clip(a), nullptr);
    EXPECT_TRUE(well_formed(r));
    add_track(r, "Two");
    move_clips(r, moving, 0, 5);  // as far as there are tracks
    EXPECT_EQ(r.tracks[1].clips.size(), 1U);
}

TEST(Timeline, DeletingLeavesOrClosesTheGapAndNeverTouchesThePicture) {
    Timeline r = placed();
    const std::array<int, 1> one = {r.tracks[0].clips[0].id};
    split_clips(r, one, 1000);
    split_clips(r, std::array<int, 1>{r.tracks[0].clips[1].id}, 3000);
    Timeline gap = r;
    delete_clips(gap, std::array<int, 1>{gap.tracks[0].clips[1].id}, false);
    EXPECT_EQ(extents(gap.tracks[2]), (Extents{{0, 1000}, {3000, kLong}}));
    Timeline closed = r;
    put_point(closed.tracks[0].strip, {LaneTarget::Gain, 0, 0, {}}, {500, 0});
    put_point(closed.tracks[0].strip, {LaneTarget::Gain, 0, 0, {}}, {4000, -6});
    delete_clips(closed, std::array<int, 1>{closed.tracks[0].clips[1].id}, true);
    EXPECT_EQ(extents(closed.tracks[2]), (Extents{{0, 1000}, {1000, kLong - 2000}}));
    EXPECT_EQ(closed.tracks[0].strip.lines[0].points.back().frame, 2000);  // lines move along
    EXPECT_EQ(closed.picture.size(), 1U);
    EXPECT_EQ(closed.picture[0].length, kLong);
    Timeline no_picture = r;
    delete_picture(no_picture, no_picture.picture[0].id, true);
    EXPECT_EQ(extents(no_picture.tracks[0]), extents(r.tracks[0]));
    EXPECT_TRUE(well_formed(closed));
}

TEST(Timeline, TimeIsCutOutOfTracksAndPictureTogether) {
    Timeline r = placed();
    const std::array<LoopRange, 3> ranges = {LoopRange{5000, 7000}, LoopRange{1000, 2000},
                                             LoopRange{6500, 8000}};
    cut_time(r, ranges, {}, true);
    for (const auto& t : r.tracks)
        EXPECT_EQ(extents(t), (Extents{{0, 1000}, {1000, 4000}, {4000, kLong - 4000}}));
    ASSERT_EQ(r.picture.size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(r.picture[i].start, r.tracks[0].clips[i].start);
        EXPECT_EQ(r.picture[i].offset, r.tracks[0].clips[i].offset);
    }
    EXPECT_EQ(picture_at(r, 1500)->offset + 1500 - picture_at(r, 1500)->start, 2500);
    EXPECT_EQ(picture_at(r, kLong), nullptr);
    EXPECT_TRUE(well_formed(r));
}

TEST(Timeline, CrossFadesOverlapWhatTouches) {
    Timeline r = placed();
    const std::array<int, 1> one = {r.tracks[0].clips[0].id};
    split_clips(r, one, 10000);
    const int a = r.tracks[0].clips[0].id;
    const int b = r.tracks[0].clips[1].id;
    EXPECT_TRUE(cross_fade(r, a, b, 480, FadeShape::Linear, length_of));
    EXPECT_EQ(r.clip(a)->end(), 10240);
    EXPECT_EQ(r.clip(b)->start, 9760);
    EXPECT_EQ(r.clip(b)->offset, 9760);
    EXPECT_EQ(r.clip(a)->fade_out.frames, 480);
    EXPECT_EQ(r.clip(b)->fade_in.frames, 480);
    EXPECT_FALSE(cross_fade(r, a, b, 480, FadeShape::Linear, length_of));  // they no longer touch
    EXPECT_TRUE(well_formed(r));
}

TEST(Timeline, MusicIsReplacedInLengthAndPlace) {
    Timeline r = placed();
    r.edit_groups = false;
    const int old = r.tracks[2].clips[0].id;
    set_fade(r, old, true, {960, FadeShape::Smooth});
    const int fresh = replace_clip(r, old, {"new.flac", 0, 3 * kLong, false, false, ""}, -3.5, 240);
    const Clip& c = *r.clip(fresh);
    EXPECT_EQ(c.length, kLong);
    EXPECT_EQ(c.gain_db, -3.5);
    EXPECT_EQ(c.fade_in.frames, 960);
    EXPECT_EQ(c.fade_out.frames, 240);
    EXPECT_TRUE(r.clip(old)->mute);
    EXPECT_EQ(r.track_of_clip(old), r.track_of_clip(fresh) + 1);  // on the track below
    EXPECT_TRUE(well_formed(r));
}

TEST(Timeline, CopiesAreGroupsOfTheirOwn) {
    Timeline r = placed();
    const auto ids = copy_clips(r, std::array<int, 1>{r.tracks[0].clips[0].id}, kLong);
    EXPECT_EQ(ids.size(), kStems);
    EXPECT_EQ(extents(r.tracks[3]), (Extents{{0, kLong}, {kLong, 2 * kLong}}));
    EXPECT_NE(r.tracks[3].clips[0].group, r.tracks[3].clips[1].group);
    EXPECT_TRUE(well_formed(r));
}

// Two thousand random edits never leave it malformed.
TEST(Timeline, RandomEditsKeepItWellFormed) {
    std::mt19937 random(11);
    const auto any = [&](std::int64_t most) {
        return std::uniform_int_distribution<std::int64_t>(0, std::max<std::int64_t>(0, most))(random);
    };
    Timeline r = placed();
    for (int i = 0; i < 2000; ++i) {
        std::vector<int> ids;
        for (const auto& t : r.tracks) {
            for (const auto& c : t.clips) ids.push_back(c.id);
        }
        if (ids.empty() || ids.size() > 60) {
            r = placed(any(5000));
            continue;
        }
        const int id = ids[static_cast<std::size_t>(any(std::ssize(ids) - 1))];
        const std::array<int, 1> one = {id};
        const std::int64_t at = any(r.end());
        r.edit_groups = any(3) != 0;
        switch (any(11)) {
            case 0:
                split_clips(r, one, at);
                break;
            case 1:
                trim_start(r, id, any(4000) - 2000);
                break;
            case 2:
                trim_end(r, id, any(4000) - 2000, length_of);
                break;
            case 3:
                slip(r, id, any(4000) - 2000, length_of);
                break;
            case 4:
                move_clips(r, one, any(20000) - 10000, static_cast<int>(any(2)) - 1);
                break;
            case 5:
                delete_clips(r, one, any(1) == 1);
                break;
            case 6:
                copy_clips(r, one, at);
                break;
            case 7:
                cut_time(r, std::array{LoopRange{at, at + any(9000)}}, {}, any(1) == 1);
                break;
            case 8:
                mute_ranges(r, std::array{LoopRange{at, at + any(9000)}}, {},
                            [&](const auto&) { return any(1) == 1; });
                lay_room_tone(r, r.tracks.front().id, {any(9000), any(20000)},
                              [](const auto&) { return true; });
                break;
            case 9:
                set_fade(r, id, any(1) == 1, {any(100000), FadeShape::Smooth});
                break;
            case 10:
                replace_clip(r, id, {"x.wav", 0, any(kLong), false, false, ""}, 0, 100);
                break;
            default: {
                const Track& t = *r.track_of_clip(id);
                for (std::size_t k = 1; k < t.clips.size(); ++k) {
                    if (cross_fade(r, t.clips[k - 1].id, t.clips[k].id, 1 + any(3000), FadeShape::EqualPower,
                                   length_of))
                        break;
                }
            }
        }
        ASSERT_TRUE(well_formed(r)) << "after edit " << i;
    }
}

TEST(Timeline, SnapsToEdgesAndPictureFrames) {
    Timeline r = placed(1000);
    r.loop = LoopRange{50, 70};
    const auto points = snap_points(r, {});
    EXPECT_EQ(snapped(points, 1010, 20), 1000);
    EXPECT_EQ(snapped(points, 65, 20), 70);
    EXPECT_EQ(snapped(points, 500, 20), std::nullopt);
    // 24000/1001 frames a second at 48 kHz: 2002 frames of sound each (SMPTE ST 12-1 rates).
    r.frame_rate = {24000, 1001};
    EXPECT_EQ(on_picture_frame(r, 2100), 2002);
    EXPECT_EQ(on_picture_frame(r, 3500), 4004);
    // 30000/1001 at 48 kHz: 1601.6 frames; frame n begins at the next whole one.
    r.frame_rate = {30000, 1001};
    for (std::int64_t n = 0; n < 2000; ++n) {
        EXPECT_EQ(picture_frame_of(r, frame_of_picture(r, n)), n);
        if (n > 0) {
            EXPECT_EQ(picture_frame_of(r, frame_of_picture(r, n) - 1), n - 1);
        }
    }
}

TEST(Timeline, FadesHaveTheirPowersAndSums) {
    for (double part = 0; part <= 1.0; part += 0.05) {
        EXPECT_NEAR(fade_gain(FadeShape::Linear, part) + fade_gain(FadeShape::Linear, 1 - part), 1, 1e-12);
        EXPECT_NEAR(fade_gain(FadeShape::Smooth, part) + fade_gain(FadeShape::Smooth, 1 - part), 1, 1e-12);
        EXPECT_NEAR(std::pow(fade_gain(FadeShape::EqualPower, part), 2) +
                        std::pow(fade_gain(FadeShape::EqualPower, 1 - part), 2),
                    1, 1e-12);
    }
}

TEST(Timeline, SilencesAreFoundWithPadding) {
    std::vector<float> levels(1000, -70.0F);  // steps of 480 frames: 10 ms
    for (std::size_t k = 100; k < 200; ++k) levels[k] = -20.0F;
    for (std::size_t k = 230; k < 300; ++k) levels[k] = -20.0F;  // 300 ms later: too short a silence
    for (std::size_t k = 500; k < 510; ++k) levels[k] = -20.0F;
    SilenceSettings s;
    s.shortest_ms = 500;
    s.padding_ms = 100;
    const auto found = find_silences(levels, 480, 480000, 48000, s);
    const std::vector<LoopRange> wanted = {
        {0, 100 * 480 - 4800}, {300 * 480 + 4800, 500 * 480 - 4800}, {510 * 480 + 4800, 480000}};
    EXPECT_EQ(found, wanted);
    s.threshold_dbfs = -75;
    EXPECT_TRUE(find_silences(levels, 480, 480000, 48000, s).empty());
}

// A word that fades through the threshold is not cut off: it ends under the hysteresis.
TEST(Silences, EndUnderTheHysteresis) {
    std::vector<float> levels(1000, -80.0F);
    for (std::size_t k = 200; k < 230; ++k) levels[k] = -20.0F;
    for (std::size_t k = 230; k < 260; ++k) levels[k] = -48.0F;  // 3 dB under the threshold
    SilenceSettings s;
    s.padding_ms = 0;
    const auto found = find_silences(levels, 480, 480000, 48000, s);
    ASSERT_EQ(found.size(), 2U);
    EXPECT_EQ(found[0].last, 200 * 480);
    EXPECT_EQ(found[1].first, 260 * 480);
    s.hysteresis_db = 0;
    EXPECT_EQ(find_silences(levels, 480, 480000, 48000, s)[1].first, 230 * 480);
}

// A silence of several voices is where none of them speaks.
TEST(Silences, OfSeveralTracksTogether) {
    const SilenceSettings s;
    std::vector<float> one(1000, -100.0F);
    std::vector<float> two(900, -100.0F);  // a shorter track is silent behind its end
    std::fill_n(one.begin(), 300, -20.0F);
    std::fill_n(two.begin() + 600, 300, -20.0F);
    const std::array<std::span<const float>, 2> both = {one, two};
    const auto found = find_silences(both, 480, 480000, 48000, s);
    const auto alone = find_silences(one, 480, 480000, 48000, s);
    ASSERT_EQ(alone.size(), 1U);
    ASSERT_EQ(found.size(), 2U);
    EXPECT_EQ(found[0].first, alone[0].first);
    EXPECT_LT(found[0].last, 600 * 480);
    EXPECT_GT(found[1].first, 900 * 480);
    EXPECT_TRUE(find_silences(std::span<const std::span<const float>>{}, 480, 480000, 48000, s).empty());
}

TEST(Timeline, LivesInTheSessionsJson) {
    Session session;
    session.items.push_back({"talk.mov", "h", {}, {}, true});
    session.current = 0;
    session.timeline = placed(7);
    Timeline& r = session.timeline;
    r.loop = LoopRange{5, 900};
    r.frame_rate = {30000, 1001};
    r.drop_frame = true;
    r.first_timecode_frame = 107892;
    const int music = add_bus(r, "Music bus");
    r.tracks[2].bus = music;
    r.tracks[2].ducking.on = true;
    r.tracks[2].ducking.key_tracks = {r.tracks[0].id, r.tracks[1].id};
    r.tracks[2].ducking.values[0] = -9;
    r.tracks[0].strip.chain = {make_part(EffectType::HighPass, r.new_id()),
                               make_part(EffectType::Limiter, r.new_id())};
    r.tracks[0].strip.chain[0][parameter::kCutHz] = 95;
    r.tracks[0].strip.chain[1].on = false;
    r.tracks[0].strip.polarity_inverted = true;
    put_point(r.tracks[0].strip, {LaneTarget::Gain, 0, 0, {}}, {100, -3});
    put_point(r.tracks[0].strip, {LaneTarget::Part, r.tracks[0].strip.chain[0].id, 0, {}}, {100, 120});
    r.tracks[1].clips[0].card = 3;
    set_fade(r, r.tracks[0].clips[0].id, true, {480, FadeShape::EqualPower});
    r.tracks[3].clips[0].mute = true;
    r.tracks[3].clips[0].room_tone = true;
    r.joint_fade_ms = 25;
    r.edge_fade_ms = 0;
    place_clip(r, {"/music/new.flac", 10, 50, false, false, "New"}, ClipSource::Whole, 0);
    const auto read = session_from_json(session_to_json(session), {});
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(*read, session);
    EXPECT_EQ(added_media(session), (std::vector<std::filesystem::path>{"/music/new.flac"}));
}

TEST(Timeline, DamagedJsonIsMended) {
    const auto read =
        session_from_json(R"({"rivlen_session": 3, "rebuild": {"sample_rate": 12345, "frame_rate": [0, 0],
        "buses": [], "tracks": [{"id": 4, "bus": 99, "strip": {"gain_db": 900, "chain": [{"kind": "high_pass", "id": 4}, {"kind": "?"}]},
        "ducking": {"on": true, "key_track": 77}, "clips": [{"id": 4, "start": 10, "length": 5, "fade_in": {"frames": 99}},
        {"id": 4, "start": 2, "length": -5}, 7, {"id": 9, "start": 3, "length": 1}]}, "x"]}})",
                          {});
    ASSERT_TRUE(read.ok());
    const Timeline& r = read->timeline;
    EXPECT_TRUE(well_formed(r));
    EXPECT_EQ(r.sample_rate, 0);
    ASSERT_EQ(r.tracks.size(), 1U);
    EXPECT_EQ(r.tracks[0].clips.size(), 2U);
    EXPECT_EQ(r.tracks[0].strip.gain_db, kHighestGainDb);
    EXPECT_EQ(r.tracks[0].strip.chain.size(), 1U);
    EXPECT_TRUE(r.tracks[0].ducking.key_tracks.empty());
}

// Two parts that share an id would share their lines, whose parameters only one of them has.
TEST(Timeline, PartsThatShareAnIdGetTheirOwn) {
    const auto read = session_from_json(
        R"({"rivlen_session": 3, "rebuild": {"sample_rate": 48000, "buses": [{"id": 1}], "tracks": [{"id": 2, "bus": 1,
        "strip": {"chain": [{"kind": "gain", "id": 7}, {"kind": "equaliser", "id": 7}, {"kind": "gain", "id": 2000000001}],
        "lines": [{"target": "part", "part": 7, "parameter": 9, "points": [[0, 1]]},
                  {"target": "part", "part": 7, "parameter": 0, "points": [[0, 1]]}]}}]}})",
        {});
    ASSERT_TRUE(read.ok());
    const Timeline& r = read->timeline;
    ASSERT_EQ(r.tracks.size(), 1U);
    const Strip& strip = r.tracks[0].strip;
    ASSERT_EQ(strip.chain.size(), 3U);
    std::set<int> ids = {1, 2};
    for (const auto& part : strip.chain) EXPECT_TRUE(ids.insert(part.id).second) << part.id;
    for (const auto& line : strip.lines) {
        const auto part = std::ranges::find(strip.chain, line.part, &Insert::id);
        ASSERT_NE(part, strip.chain.end());
        EXPECT_LT(static_cast<std::size_t>(line.parameter), part->values.size());
    }
    EXPECT_TRUE(well_formed(r));
    EXPECT_LT(r.next_id, 1000);
}

TEST(Timeline, ABaseValueReachesWhatItNamesAndNothingElse) {
    Strip strip;
    strip.chain.push_back(make_part(EffectType::Gain, 5));
    set_base_value(strip, {LaneTarget::Gain, 0, 0, {}}, -3);
    set_base_value(strip, {LaneTarget::Pan, 0, 0, {}}, 25);
    set_base_value(strip, {LaneTarget::Mute, 0, 0, {}}, 1);
    set_base_value(strip, {LaneTarget::Part, 5, 0, {}}, -9);
    EXPECT_EQ(strip.gain_db, -3);
    EXPECT_EQ(strip.pan_percent, 25);
    EXPECT_TRUE(strip.mute);
    EXPECT_EQ(strip.chain[0].values[0], -9);
    const Strip before = strip;
    set_base_value(strip, {LaneTarget::Part, 5, 44, {}}, 1);  // there is no such parameter
    set_base_value(strip, {LaneTarget::Part, 6, 0, {}}, 1);   // nor such a part
    EXPECT_EQ(strip, before);
}

TEST(Timeline, MutingSeveralClipsGoesByWhetherOneSounds) {
    Timeline r = placed();
    std::vector<int> clips;
    for (const auto& track : r.tracks) clips.push_back(track.clips[0].id);
    r.clip(clips[1])->mute = true;
    toggle_mute(r, clips);
    for (const int id : clips) EXPECT_TRUE(r.clip(id)->mute);
    toggle_mute(r, clips);
    for (const int id : clips) EXPECT_FALSE(r.clip(id)->mute);
}

TEST(Timeline, TakingPartsOutTakesTheirLinesWithThem) {
    Timeline r = placed();
    const int id = r.tracks[0].id;
    take_chain(r, id, voice_start_chain());
    Strip& strip = *r.strip(id);
    ASSERT_GE(strip.chain.size(), 3U);
    std::set<int> ids;
    for (const auto& part : strip.chain) ids.insert(part.id);
    EXPECT_EQ(ids.size(), strip.chain.size());
    const int first = strip.chain[0].id;
    const int second = strip.chain[1].id;
    put_point(strip, {LaneTarget::Part, first, 0, {}}, {0, 100});
    put_point(strip, {LaneTarget::Part, second, 0, {}}, {0, 1});
    put_point(strip, {LaneTarget::Gain, 0, 0, {}}, {0, -3});
    remove_part(strip, first);
    EXPECT_EQ(strip.lines.size(), 2U);
    EXPECT_EQ(find_lane(strip, {LaneTarget::Part, first, 0, {}}), nullptr);
    take_chain(r, id, {make_part(EffectType::Gain, 1)});
    EXPECT_EQ(r.strip(id)->chain.size(), 1U);
    EXPECT_EQ(r.strip(id)->lines.size(), 1U);  // the gain's
}

}  // namespace
}  // namespace rivlen
