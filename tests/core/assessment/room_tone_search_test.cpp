// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/room_tone_search.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/separation/corrections.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

// A quiet place of 12 s in which something loud sounds in the given seconds.
Source place_with(const Scratch& scratch, std::initializer_list<std::pair<double, double>> loud, int rate) {
    auto sound = test::noise(static_cast<std::size_t>(12 * rate), 4);
    for (float& x : sound) x *= 0.01F;
    const auto words = test::noise(sound.size(), 5);
    for (const auto& [first, last] : loud) {
        for (auto i = static_cast<std::size_t>(first * rate); i < static_cast<std::size_t>(last * rate); ++i)
            sound[i] += words[i];
    }
    test::write_wav(scratch / "place.wav", {sound}, rate);
    auto source = Source::bring_in(scratch / "place.wav", scratch.folder());
    EXPECT_TRUE(source.ok());
    return std::move(*source);
}

TEST(RoomToneSearch, FindsThePausesByLevel) {
    for (const int rate : {44100, 48000}) {
        const Scratch scratch;
        const Source source = place_with(scratch, {{0, 3}, {5, 8}, {8.2, 11}}, rate);
        const auto found = find_room_tone(source, nullptr);
        ASSERT_TRUE(found);
        ASSERT_EQ(found->size(), 2U);  // the pause of 0.2 s is too short
        const auto seconds = [rate](std::int64_t frame) { return static_cast<double>(frame) / rate; };
        EXPECT_NEAR(seconds((*found)[0].first), 3.05, 0.12);
        EXPECT_NEAR(seconds((*found)[0].last), 4.95, 0.12);
        EXPECT_NEAR(seconds((*found)[1].first), 11.05, 0.12);
        EXPECT_GE(seconds((*found)[0].first), 3.0);  // nothing of the words
        EXPECT_LE(seconds((*found)[0].last), 5.0);
    }
}

// As quiet as the place, but a voice by the map.
TEST(RoomToneSearch, LeavesOutWhatTheMapCallsAVoice) {
    const Scratch scratch;
    const Source source = place_with(scratch, {{0, 3}}, 48000);
    Correction voice;
    voice.to = Stem::Dialogue;
    voice.region.points = {{5, 20}, {8, 24000}};
    const auto map = corrected(test::even_map(scratch, source, {0, 0, 0, 1}), std::vector{voice}, source);
    ASSERT_TRUE(map);
    const auto found = find_room_tone(source, &*map);
    ASSERT_TRUE(found);
    ASSERT_EQ(found->size(), 2U);
    EXPECT_LE((*found)[0].last, 5 * 48000);
    EXPECT_GE((*found)[1].first, 8 * 48000 - 4800);
}

TEST(RoomToneSearch, IsNothingWhereThereIsNone) {
    const Scratch scratch;
    test::write_wav(scratch / "silence.wav", {std::vector<float>(48000)}, 48000);
    const auto silence = Source::bring_in(scratch / "silence.wav", scratch.folder());
    ASSERT_TRUE(silence);
    const auto found = find_room_tone(*silence, nullptr);
    ASSERT_TRUE(found);
    EXPECT_TRUE(found->empty());
    // All music.
    const Source source = test::noise_source(scratch, 48000, 2, 3);
    const MaskMap music = test::even_map(scratch, source, {0, 0, 1, 0});
    const auto none = find_room_tone(source, &music);
    ASSERT_TRUE(none);
    EXPECT_TRUE(none->empty());
    std::atomic<bool> cancel{true};
    EXPECT_EQ(find_room_tone(source, &music, {{}, &cancel}).error().kind, ErrorKind::Cancelled);
}

TEST(RoomToneSearch, TakesNoMoreThanIsNeeded) {
    const Scratch scratch;
    const Source source = test::noise_source(scratch, 8000, 1, 60);
    const auto found = find_room_tone(source, nullptr);
    ASSERT_TRUE(found);
    ASSERT_EQ(found->size(), 1U);  // one stretch is not cut
    EXPECT_GT(found->front().last, 59 * 8000);
}

}  // namespace
}  // namespace rivlen
