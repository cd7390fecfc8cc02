// SPDX-License-Identifier: GPL-3.0-or-later
// Songs with known parts, to learn from.
#include "learn/songs/songs.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "learn/world/voices.h"
#include "tests/learn/made_corpus.h"
#include "tests/support/fixtures.h"

namespace rivlen::learn {
namespace {

constexpr const char* kFont = "/usr/share/sounds/sf2/TimGM6mb.sf2";  // Debian: timgm6mb-soundfont
constexpr std::size_t kSongSecond = kCorpusRate;

double energy(std::span<const float> x) {
    double sum = 0;
    for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
    return sum;
}

// The strength of a frequency in a stretch (Goertzel's sum).
double strength(std::span<const float> x, double hz) {
    double re = 0, im = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double phase = 2 * std::numbers::pi * hz * static_cast<double>(i) / kCorpusRate;
        re += static_cast<double>(x[i]) * std::cos(phase);
        im += static_cast<double>(x[i]) * std::sin(phase);
    }
    return std::hypot(re, im);
}

Soundfont font() {
    auto opened = Soundfont::open(kFont);
    EXPECT_TRUE(opened.ok());
    return std::move(*opened);
}

TEST(Scores, AreRepeatableAndPlayable) {
    std::array<int, kSongParts> songs_with{};
    for (std::uint64_t seed = 0; seed < 200; ++seed) {
        Rng rng(seed), again(seed);
        const Score score = make_score(20, rng);
        const Score same = make_score(20, again);
        ASSERT_FALSE(score.lines.empty()) << seed;
        ASSERT_EQ(score.lines.size(), same.lines.size());
        std::array<bool, kSongParts> has{};
        for (std::size_t k = 0; k < score.lines.size(); ++k) {
            const auto& line = score.lines[k];
            ASSERT_EQ(line.notes.size(), same.lines[k].notes.size());
            ASSERT_TRUE(std::ranges::is_sorted(line.notes, {}, &PlayedNote::start_s));
            for (std::size_t n = 0; n < line.notes.size(); ++n) {
                const auto& note = line.notes[n];
                EXPECT_EQ(note.key, same.lines[k].notes[n].key);
                EXPECT_GE(note.start_s, 0);
                EXPECT_LT(note.start_s, 20);
                EXPECT_GT(note.seconds, 0);
                EXPECT_TRUE(note.velocity >= 1 && note.velocity <= 127);
                // The lowest note of a bass with five strings is B0, 23; a bass does not sing above a guitar.
                if (line.part == SongPart::Bass) {
                    EXPECT_TRUE(note.key >= 23 && note.key <= 72) << seed << " " << note.key;
                }
                EXPECT_TRUE(note.key >= 0 && note.key <= 127);
            }
            has[static_cast<std::size_t>(line.part)] = true;
        }
        for (std::size_t part = 0; part < kSongParts; ++part) songs_with[part] += has[part] ? 1 : 0;
        EXPECT_GE(score.tune.back().end_s, 20);
        EXPECT_TRUE(std::ranges::is_sorted(score.tune, {}, &SungNote::end_s));
    }
    // As often as they are drawn: sung chords 15 %, drums 85 %, a bass 88 % (four standard deviations), and
    // what accompanies in most.
    EXPECT_NEAR(songs_with[0], 30, 21);
    EXPECT_NEAR(songs_with[1], 170, 21);
    EXPECT_NEAR(songs_with[2], 176, 19);
    EXPECT_GT(songs_with[3], 140);
}

TEST(Soundfonts, PlayInTuneAndOnTime) {
    auto piano = font();
    // A4, by definition 440 Hz (ISO 16), which is key 69.
    PlayedLine line{SongPart::Rest, 0, 0, 0, {{0.5, 1.0, 69, 100}}};
    const auto x = piano.play(line, 3 * kSongSecond);
    const std::span<const float> left(x[0]);
    EXPECT_LT(energy(left.first(kSongSecond / 2 - 64)), 1e-9);
    const auto sounding = left.subspan(kSongSecond * 6 / 10, kSongSecond / 2);
    EXPECT_GT(energy(sounding), 1e-2);
    double best = 0, best_hz = 0;
    for (double cents = -100; cents <= 100; cents += 5) {
        const double hz = 440 * std::exp2(cents / 1200);
        if (const double s = strength(sounding, hz); s > best) best = s, best_hz = hz;
    }
    EXPECT_NEAR(1200 * std::log2(best_hz / 440), 0, 10);
    // It has been let go: a second later it is at least 40 dB down.
    EXPECT_LT(energy(left.last(kSongSecond / 2)), 1e-4 * energy(sounding));
    // 6 dB are 6 dB; what is played again is the same.
    EXPECT_EQ(piano.play(line, 3 * kSongSecond), x);
    line.level_db = -6;
    EXPECT_NEAR(10 * std::log10(energy(piano.play(line, 3 * kSongSecond)[0]) / energy(left)), -6, 0.01);
    // To one side.
    line.pan = -1;
    const auto aside = piano.play(line, 3 * kSongSecond);
    EXPECT_GT(energy(aside[0]), 1e3 * energy(aside[1]));
}

TEST(Soundfonts, WhatIsNoneIsASentence) {
    EXPECT_EQ(Soundfont::open("/nowhere/at.sf2").error().kind, ErrorKind::NotFound);
    const test::Scratch scratch;
    test::write_wav(scratch / "tone.wav", {std::vector<float>(4800, 0.1F)}, 48000);
    const auto opened = Soundfont::open(scratch / "tone.wav");
    ASSERT_FALSE(opened.ok());
    EXPECT_EQ(opened.error().kind, ErrorKind::BadInput);
    EXPECT_NE(opened.error().message.find("tone.wav"), std::string::npos);
}

// A steady level 12 dB over the threshold at 4:1 comes out 9 dB lower; one under it as it was. The static
// curve of Giannoulis, Massberg, Reiss, J. Audio Eng. Soc. 60(6), 2012, eq. 4 without a knee.
TEST(Songs, TheirCompressorKeepsItsRatio) {
    const auto steady = [](double dbfs) {
        return std::vector<float>(kSongSecond, static_cast<float>(amplitude_of_db(dbfs)));
    };
    EXPECT_NEAR(20 * std::log10(bus_gain({steady(-8), steady(-30)}, -20, 4).back()), -9, 0.01);
    EXPECT_NEAR(bus_gain({steady(-21), steady(-30)}, -20, 4).back(), 1, 1e-6);
}

TEST(Songs, PartsAddUpAndAreWhatTheirNamesSay) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    const Material readers(corpus, Pool::Learn);
    std::vector<Soundfont> fonts;
    fonts.push_back(font());
    SongMaker maker(std::move(fonts), readers);
    constexpr std::size_t kFrames = 4 * kSongSecond;
    double low = 0, bass = 0;
    int sung = 0;
    for (std::uint64_t seed = 1; seed <= 12; ++seed) {
        Rng rng(seed), again(seed);
        const Song song = maker.make(kFrames, rng);
        if (seed == 1) {
            EXPECT_EQ(maker.make(kFrames, again).mix, song.mix);
        }
        for (std::size_t side = 0; side < 2; ++side) {
            std::vector<float> rest = song.mix[side];
            EXPECT_GT(energy(rest), 0);
            for (const auto& part : song.parts) add(rest, part[side], -1.0F);
            for (const float x : rest) ASSERT_NEAR(x, 0, 1e-5F);
        }
        auto deep = song.parts[static_cast<std::size_t>(SongPart::Bass)][0];
        bass += energy(deep);
        BiquadFilter(Biquad::low_pass(kCorpusRate, 500, 0.7)).process(deep);
        low += energy(deep);
        sung += energy(song.parts[static_cast<std::size_t>(SongPart::Voices)][0]) > 0 ? 1 : 0;
    }
    // The highest key of a bass here is 72, 523 Hz; nearly all lie two octaves below.
    EXPECT_GT(low, 0.8 * bass);
    EXPECT_GE(sung, 4);
    EXPECT_LT(sung, 12);
}

}  // namespace
}  // namespace rivlen::learn
