// SPDX-License-Identifier: GPL-3.0-or-later
// The pool that models are told by: plain sounds, rooms by image sources, mixes that hold what their names
// say.
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "core/dsp/decibels.h"
#include "learn/telling/image_room.h"
#include "learn/telling/plain_sounds.h"
#include "learn/telling/telling_mixes.h"
#include "tests/learn/made_corpus.h"

namespace rivlen::learn {
namespace {

TEST(PlainSounds, AreManyRepeatableAndNormalised) {
    std::set<std::string> names;
    std::array<int, 3> stems{};
    std::vector<PlainSound> sounds(plain_ambience().begin(), plain_ambience().end());
    sounds.insert(sounds.end(), plain_music_and_voices().begin(), plain_music_and_voices().end());
    for (const auto& sound : sounds) {
        names.insert(sound.name);
        ++stems[static_cast<std::size_t>(sound.stem)];
        const auto x = sound.make(2.5, 1);
        ASSERT_EQ(x.size(), 120000U) << sound.name;
        EXPECT_EQ(x, sound.make(2.5, 1)) << sound.name;
        float peak = 0.0F;
        for (const float v : x) {
            ASSERT_TRUE(std::isfinite(v)) << sound.name;
            peak = std::max(peak, std::abs(v));
        }
        EXPECT_NEAR(peak, 0.25F, 1e-4F) << sound.name;
    }
    EXPECT_EQ(names.size(), sounds.size());
    EXPECT_GE(stems[2], 40);
    EXPECT_GE(stems[1], 5);
    EXPECT_GE(stems[0], 4);
}

// Theory: one wall's image has the path length of the mirrored source, and 1/r of its sound (Allen and
// Berkley 1979).
TEST(ImageRooms, DirectSoundAndFirstReflectionsStandWhereTheyMust) {
    ImageRoom room;
    room.size_m = {6, 5, 3};
    room.source_m = {2, 2.5, 1.5};
    room.microphones_m = {{{4, 2.5, 1.5}, {4, 2.5, 1.5}}};
    room.reflection = 0.9;
    room.highs_db = 0.0;
    room.longest_s = 0.5;
    const auto responses = responses_of(room);
    const auto& h = responses.early[0];
    EXPECT_NEAR(h[0], 1.0F, 1e-4F);
    // Floor and ceiling: 2 m across, 1.5 m up and down; both walls at the sides: 2 m across, 2.5 m.
    const auto expect_at = [&](double path_m, double gain) {
        const auto at = static_cast<std::size_t>(std::lround((path_m - 2.0) / 343.0 * 48000.0));
        EXPECT_NEAR(h[at], static_cast<float>(gain), 0.02F) << path_m;
    };
    expect_at(std::hypot(2.0, 3.0), 2.0 * 0.9 * 2.0 / std::hypot(2.0, 3.0));
    expect_at(std::hypot(2.0, 5.0), 2.0 * 0.9 * 2.0 / std::hypot(2.0, 5.0));
    for (std::size_t i = 0; i < 1440; ++i) EXPECT_EQ(responses.late[0][i], 0.0F);
}

// Sabine's formula with Eyring's absorption: the time to -60 dB from volume, surface and reflection; image
// sources of a box with even walls come near it.
TEST(ImageRooms, DieAwayAboutAsEyringSays) {
    ImageRoom room;
    room.size_m = {7, 5.5, 3.1};
    room.source_m = {2.1, 2.3, 1.5};
    room.microphones_m = {{{4.9, 3.1, 1.2}, {4.9, 3.1, 1.2}}};
    room.reflection = 0.8;
    room.highs_db = 0.0;
    room.longest_s = 1.0;
    const auto responses = responses_of(room);
    std::vector<float> h = responses.late[0];
    for (std::size_t i = 0; i < responses.early[0].size(); ++i) h[i] = responses.early[0][i];
    const double volume = 7 * 5.5 * 3.1;
    const double surface = 2 * (7 * 5.5 + 7 * 3.1 + 5.5 * 3.1);
    const double eyring_s = 0.161 * volume / (-surface * std::log(0.8 * 0.8));
    const double ours_s = test::decay_time_s(h, 48000);
    EXPECT_GT(ours_s, 0.7 * eyring_s);
    EXPECT_LT(ours_s, 1.6 * eyring_s);  // slanting paths between near walls die first
}

TEST(TellingMixes, HoldWhatTheirNamesSay) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    const TellingMixes mixes(corpus);
    for (const auto& kind : TellingMixes::kinds()) {
        for (const int n : {0, 1}) {
            const Mix mix = mixes.make(kind, n, 7.0);
            const auto sounds = [&](std::size_t s) { return energy_of(mix.stems[s][0]) > 1e-6; };
            const auto has = [&](const char* word) { return kind.find(word) != std::string::npos; };
            EXPECT_EQ(sounds(0), has("voice")) << kind;
            EXPECT_EQ(sounds(2), has("music")) << kind;
            EXPECT_EQ(sounds(3), has("ambience") || has("crowd") || has("a room")) << kind;
            EXPECT_EQ(mix.mix[0] == mix.mix[1], n == 0) << kind;
            for (std::size_t i = 0; i < mix.frames(); i += 97) {
                float sum = 0.0F;
                for (const auto& stem : mix.stems) sum += stem[0][i];
                ASSERT_NEAR(sum, mix.mix[0][i], 1e-4F) << kind;
            }
            // A second and a half of silence before anybody speaks.
            for (std::size_t i = 0; i < 72000; ++i) ASSERT_EQ(mix.dry_voice[i], 0.0F) << kind;
            EXPECT_EQ(mixes.make(kind, n, 7.0).mix, mix.mix);
        }
        EXPECT_NE(mixes.make(kind, 0, 7.0).mix, mixes.make(kind, 2, 7.0).mix) << kind;
    }
    EXPECT_EQ(energy_of(mixes.lone(TellingMixes::Lone::Voice, 0, 4.0).stems[3][0]), 0.0);
    EXPECT_GT(energy_of(mixes.lone(TellingMixes::Lone::Ambience, 1, 4.0).stems[3][0]), 0.0);
    EXPECT_EQ(mixes.lone(TellingMixes::Lone::Music, 3, 4.0).mix,
              mixes.lone(TellingMixes::Lone::Music, 3, 4.0).stems[2]);
}

}  // namespace
}  // namespace rivlen::learn
