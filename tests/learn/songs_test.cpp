// SPDX-License-Identifier: GPL-3.0-or-later
// Songs with known parts, to learn from.
#include "learn/songs/songs.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <sstream>

#include "core/base/output_file.h"
#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "learn/songs/accompaniment.h"
#include "learn/songs/midi.h"
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
    std::array<int, kMusicParts> songs_with{};
    for (std::uint64_t seed = 0; seed < 200; ++seed) {
        Rng rng(seed), again(seed);
        const Score score = make_score(20, rng);
        const Score same = make_score(20, again);
        ASSERT_FALSE(score.lines.empty()) << seed;
        ASSERT_EQ(score.lines.size(), same.lines.size());
        std::array<bool, kMusicParts> has{};
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
                if (line.part == MusicPart::Bass) {
                    EXPECT_TRUE(note.key >= 23 && note.key <= 72) << seed << " " << note.key;
                }
                EXPECT_TRUE(note.key >= 0 && note.key <= 127);
            }
            has[static_cast<std::size_t>(line.part)] = true;
        }
        for (std::size_t part = 0; part < kMusicParts; ++part) songs_with[part] += has[part] ? 1 : 0;
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
    PlayedLine line{MusicPart::Rest, 0, 0, 0, {{0.5, 1.0, 69, 100}}};
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
    SongMaker maker(std::move(fonts), {}, readers);
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
        auto deep = song.parts[static_cast<std::size_t>(MusicPart::Bass)][0];
        bass += energy(deep);
        BiquadFilter(Biquad::low_pass(kCorpusRate, 500, 0.7)).process(deep);
        low += energy(deep);
        sung += energy(song.parts[static_cast<std::size_t>(MusicPart::Voices)][0]) > 0 ? 1 : 0;
    }
    // The highest key of a bass here is 72, 523 Hz; nearly all lie two octaves below.
    EXPECT_GT(low, 0.8 * bass);
    EXPECT_GE(sung, 4);
    EXPECT_LT(sung, 12);
}

TEST(Midi, ScoresByPeopleAreReadByTheStandard) {
    const test::Scratch scratch;
    ASSERT_TRUE(write_text_file(scratch / "a.mid", test::made_score()).ok());
    const auto score = read_midi(scratch / "a.mid");
    ASSERT_TRUE(score.ok()) << score.error().message;
    ASSERT_EQ(score->lines.size(), 3U);
    const auto of = [&](MusicPart part) -> const PlayedLine& {
        return *std::ranges::find(score->lines, part, &PlayedLine::part);
    };
    const PlayedLine& bass = of(MusicPart::Bass);
    EXPECT_EQ(bass.program, 33);
    EXPECT_EQ(bass.pan, -1);
    EXPECT_EQ(bass.level_db, 0);
    ASSERT_EQ(bass.notes.size(), 2U);
    EXPECT_EQ(bass.notes[0].key, 40);  // E1 of an instrument that sounds an octave lower
    EXPECT_NEAR(bass.notes[0].start_s, 0.5, 1e-9);
    EXPECT_NEAR(bass.notes[0].seconds, 0.5, 1e-9);
    EXPECT_NEAR(bass.notes[1].start_s, 2.0, 1e-9);  // a beat at 120, two at 60 from the second beat on
    EXPECT_NEAR(bass.notes[1].seconds, 1.0, 1e-9);
    EXPECT_EQ(of(MusicPart::Drums).notes.size(), 2U);
    EXPECT_NEAR(of(MusicPart::Drums).notes[0].seconds, 0.5, 1e-9);
    EXPECT_EQ(of(MusicPart::Voices).program, 52);

    const Score part = excerpt(*score, 0.75, 1.5);
    const auto& shortened = std::ranges::find(part.lines, MusicPart::Bass, &PlayedLine::part)->notes;
    ASSERT_EQ(shortened.size(), 2U);
    EXPECT_NEAR(shortened[0].start_s, 0, 1e-9);
    EXPECT_NEAR(shortened[0].seconds, 0.25, 1e-9);
    EXPECT_NEAR(shortened[1].start_s, 1.25, 1e-9);
    EXPECT_NEAR(shortened[1].seconds, 0.25, 1e-9);

    // Cut anywhere, or no such file: refused or read as far as it is whole, never worse.
    const std::string whole = test::made_score();
    for (std::size_t size = 0; size < whole.size(); ++size) {
        ASSERT_TRUE(write_text_file(scratch / "cut.mid", whole.substr(0, size)).ok());
        EXPECT_FALSE(read_midi(scratch / "cut.mid").ok()) << size;
    }
    EXPECT_FALSE(read_midi(scratch / "none.mid").ok());
}

TEST(Midi, TheHighestLineOfSingleNotesIsSung) {
    Score score;
    const auto line = [&](int key, int together, MusicPart part = MusicPart::Rest) {
        PlayedLine out;
        out.part = part;
        for (int n = 0; n < 10; ++n) {
            for (int k = 0; k < together; ++k) out.notes.push_back({0.5 * n, 0.4, key + n % 3 + 4 * k, 90});
        }
        score.lines.push_back(out);
    };
    line(70, 3);  // chords
    line(64, 1);
    line(67, 1);
    line(90, 1, MusicPart::Drums);
    sing_the_tune(score);
    ASSERT_EQ(score.tune.size(), 10U);
    EXPECT_EQ(score.tune[1].key, 68);
    EXPECT_NEAR(score.tune[1].end_s, 1.0, 1e-9);  // until the next one begins
    EXPECT_NEAR(score.tune.back().end_s, 4.9, 1e-9);
    EXPECT_EQ(score.lines.size(), 3U);
    EXPECT_TRUE(std::ranges::none_of(score.lines, [](const PlayedLine& l) { return l.notes[0].key == 67; }));
}

// The first grooves of every style, with the beats that hold where each is defined.
TEST(Accompaniment, GroovesAreReadFromTheirStyles) {
    const test::Scratch scratch;
    ASSERT_TRUE(write_text_file(scratch / "waltz.mma",
                                "Time 3\nDefGroove Waltz A dance.\nDefGroove WaltzSus\n"
                                "Time 6\nDefGroove WaltzSlow\n")
                    .ok());
    ASSERT_TRUE(write_text_file(scratch / "beat.mma", "// none before\nDefGroove Beat\n").ok());
    ASSERT_TRUE(write_text_file(scratch / "metronome.mma", "DefGroove Tick\n").ok());
    ASSERT_TRUE(write_text_file(scratch / "notes.txt", "DefGroove Nothing\n").ok());
    const auto grooves = grooves_of(scratch.folder(), 2);
    ASSERT_TRUE(grooves);
    ASSERT_EQ(grooves->size(), 3U);
    EXPECT_EQ((*grooves)[0].name, "Beat");
    EXPECT_EQ((*grooves)[0].beats_a_bar, 4);
    EXPECT_EQ((*grooves)[1].name, "Waltz");
    EXPECT_EQ((*grooves)[1].beats_a_bar, 3);
    EXPECT_EQ((*grooves)[2].name, "WaltzSus");
    EXPECT_EQ(grooves_of(scratch / "nowhere", 2).error().kind, ErrorKind::NotFound);
}

// Every bar has a chord and a tune that fills it; the whole lasts about half a minute.
TEST(Accompaniment, AChartsTuneFillsItsBars) {
    for (const int beats : {3, 4, 5}) {
        Rng rng(static_cast<std::uint64_t>(beats)), again(static_cast<std::uint64_t>(beats));
        const std::string chart = chart_of({"Beat", beats}, rng);
        EXPECT_EQ(chart, chart_of({"Beat", beats}, again));
        std::istringstream lines(chart);
        double tempo = 0;
        int bars = 0;
        for (std::string line; std::getline(lines, line);) {
            if (line.starts_with("Tempo ")) tempo = std::stod(line.substr(6));
            const auto open = line.find('{');
            if (open == std::string::npos) continue;
            double filled = 0;
            for (std::size_t at = open + 1; line[at] != '}'; at = line.find(';', at) + 1)
                filled += 4.0 / (line[at] - '0');
            EXPECT_EQ(filled, beats) << line;
            EXPECT_TRUE(line.starts_with(std::to_string(++bars) + " ")) << line;
        }
        EXPECT_NEAR(bars * beats * 60 / tempo, 33, 3);
    }
}

}  // namespace
}  // namespace rivlen::learn
