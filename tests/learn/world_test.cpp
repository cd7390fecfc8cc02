// SPDX-License-Identifier: GPL-3.0-or-later
// What mixes for learning are made of: families of ambience, voices that are changed, rooms, music by rule.
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>
#include <numeric>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/dsp/stft.h"
#include "learn/rooms.h"
#include "learn/songs/held_singing.h"
#include "learn/world/ambience.h"
#include "learn/world/material.h"
#include "learn/world/mouth.h"
#include "learn/world/music.h"
#include "learn/world/voices.h"
#include "tests/learn/made_corpus.h"

namespace rivlen::learn {
namespace {

constexpr std::size_t kSecond = kCorpusRate;

// The strongest frequency of a stretch, to a part of a bin (parabola through the peak of the log spectrum).
double pitch_of(std::span<const float> x) {
    constexpr int kSize = 16384;
    Stft stft(kSize);
    const auto spectra = analyse(stft, x);
    const auto bins = static_cast<std::size_t>(stft.bins());
    std::vector<double> mean(bins, 1e-12);
    for (std::size_t i = 0; i < spectra.size(); ++i)
        mean[i % bins] += static_cast<double>(std::norm(spectra[i]));
    const auto top =
        static_cast<std::size_t>(std::max_element(mean.begin() + 2, mean.end() - 1) - mean.begin());
    const double a = std::log(mean[top - 1]);
    const double b = std::log(mean[top]);
    const double c = std::log(mean[top + 1]);
    return (static_cast<double>(top) + 0.5 * (a - c) / (a - 2.0 * b + c)) * kCorpusRate / kSize;
}

std::vector<float> sine(double hz, std::size_t frames) {
    std::vector<float> x(frames);
    for (std::size_t i = 0; i < frames; ++i)
        x[i] = 0.3F * static_cast<float>(
                          std::sin(2.0 * std::numbers::pi * hz * static_cast<double>(i) / kCorpusRate));
    return x;
}

// A pulse train through one resonance, with syllables.
std::vector<float> buzz(double hz, double formant_hz, std::size_t frames) {
    std::vector<float> x(frames, 0.0F);
    for (double at = 0.0; at < static_cast<double>(frames); at += kCorpusRate / hz)
        x[static_cast<std::size_t>(at)] = 1.0F;
    BiquadFilter(Biquad::band_pass(kCorpusRate, formant_hz, 4)).process(x);
    return x;
}

TEST(AmbienceFamilies, EachIsRepeatableFiniteAndThere) {
    for (const auto& name : synthetic_ambiences()) {
        int sounding = 0;
        for (std::uint64_t seed = 1; seed <= 4; ++seed) {
            Rng first(seed);
            Rng second(seed);
            const Stereo x = synthesise_ambience(name, 2 * kSecond, first);
            EXPECT_EQ(x, synthesise_ambience(name, 2 * kSecond, second)) << name;
            for (const auto& channel : x) {
                for (const float v : channel) ASSERT_TRUE(std::isfinite(v)) << name;
            }
            sounding += energy_of(x[0]) > 1e-6 ? 1 : 0;
        }
        EXPECT_GE(sounding, 2) << name;  // thunder may keep away for two seconds
    }
}

TEST(AmbienceFamilies, AreAskedForByName) {
    EXPECT_STREQ(ambience_family("signals").name, "signals");
    EXPECT_TRUE(ambience_family("signals").events);
    EXPECT_FALSE(ambience_family("hum").events);
    std::set<std::string> names(synthetic_ambiences().begin(), synthetic_ambiences().end());
    EXPECT_EQ(names.size(), synthetic_ambiences().size());
}

// Mains hum is at 50 or 60 Hz, and stays there to a cent.
TEST(AmbienceFamilies, HumKeepsItsPitch) {
    for (std::uint64_t seed = 1; seed <= 5; ++seed) {
        Rng rng(seed);
        const Stereo x = synthesise_ambience("hum", 6 * kSecond, rng);
        const double early = pitch_of(std::span(x[0]).first(2 * kSecond));
        const double late = pitch_of(std::span(x[0]).last(2 * kSecond));
        EXPECT_LT(std::abs(1200.0 * std::log2(late / early)), 4.0) << seed;
    }
}

// A corpus whose only effect is a steady tone: whatever speed a loop draws, it keeps it. (It once drew a new
// one for every turn, and a steady machine became a random melody labelled ambience.)
TEST(RecordedAmbience, ALoopKeepsItsSpeed) {
    const test::Scratch scratch;
    const auto tone = sine(440.0, kSecond / 2);
    std::filesystem::create_directories(scratch / "corpus/index");
    std::filesystem::create_directories(scratch / "corpus/pcm");
    std::ofstream pcm(scratch / "corpus/pcm/tone.s16", std::ios::binary);
    for (const float v : tone) {
        const auto s = static_cast<std::int16_t>(std::lround(v * 32767.0F));
        pcm.write(reinterpret_cast<const char*>(&s), sizeof s);
    }
    pcm.close();
    const nlohmann::json index = {{{"package", "tone"},
                                   {"path", "tone.wav"},
                                   {"group", "tone"},
                                   {"kind", "effects"},
                                   {"pool", "learn"},
                                   {"hash", 1},
                                   {"offset_samples", 0},
                                   {"frames", tone.size()},
                                   {"channels", 1},
                                   {"measures",
                                    {{"bandwidth_hz", 20000},
                                     {"level_db", -14},
                                     {"level_range_db", 1},
                                     {"noise_floor_db", -14},
                                     {"dc", 0},
                                     {"clipped_share", 0}}}}};
    ASSERT_TRUE(write_text_file(scratch / "corpus/index/tone.json", index.dump()).ok());
    const auto corpus = Corpus::open(scratch / "corpus");
    ASSERT_TRUE(corpus.ok()) << corpus.error().message;
    const Material material(*corpus, Pool::Learn);
    std::set<int> pitches;
    for (std::uint64_t seed = 1; seed <= 12; ++seed) {
        Rng rng(seed);
        const Stereo x = material.loop(6 * kSecond, rng);
        const double first = pitch_of(std::span(x[0]).subspan(0, 2 * kSecond));
        pitches.insert(static_cast<int>(first));
        for (const std::size_t at : {2, 4}) {
            const double later = pitch_of(std::span(x[0]).subspan(at * kSecond, 2 * kSecond));
            EXPECT_LT(std::abs(1200.0 * std::log2(later / first)), 10.0) << seed;
        }
    }
    EXPECT_GT(pitches.size(), 4U);  // but loops differ from one another
}

TEST(Voices, SpeedMovesPitchAndLength) {
    const auto x = sine(1000.0, kSecond);
    const auto faster = at_speed(x, 1.25);
    EXPECT_NEAR(static_cast<double>(faster.size()), kSecond / 1.25, 2.0);
    EXPECT_NEAR(pitch_of(faster), 1250.0, 1.0);
    // No images above, where linear interpolation left them: soxr's stop band lies far below -60 dB.
    const auto slow = at_speed(sine(9000.0, kSecond), 0.7);
    Stft stft(4096);
    const auto spectra = analyse(stft, slow);
    double above = 0.0;
    double all = 0.0;
    for (std::size_t i = 0; i < spectra.size(); ++i) {
        const double hz = static_cast<double>(i % static_cast<std::size_t>(stft.bins())) * kCorpusRate / 4096;
        all += static_cast<double>(std::norm(spectra[i]));
        if (hz > 9000) above += static_cast<double>(std::norm(spectra[i]));
    }
    EXPECT_LT(above, 1e-5 * all);
}

TEST(Voices, PitchMovesWhileFormantsStay) {
    const auto x = buzz(120.0, 1500.0, 2 * kSecond);
    const auto higher = with_pitch(x, 1.3);
    ASSERT_EQ(higher.size(), x.size());
    const auto f0 = fundamentals(higher);
    std::vector<double> voiced;
    std::ranges::copy_if(f0, std::back_inserter(voiced), [](double f) { return f > 0.0; });
    ASSERT_GT(voiced.size(), f0.size() / 2);
    std::ranges::sort(voiced);
    EXPECT_NEAR(voiced[voiced.size() / 2], 156.0, 4.0);
    // The strongest region stays near the resonance, and does not go along to 1950 Hz.
    EXPECT_NEAR(pitch_of(higher), 1500.0, 250.0);
}

TEST(Voices, FundamentalsOfATone) {
    const auto f0 = fundamentals(buzz(200.0, 900.0, kSecond));
    ASSERT_GT(f0.size(), 50U);
    EXPECT_NEAR(f0[30], 200.0, 2.5);
    Rng rng(1);
    const auto none = fundamentals(noise(kSecond, rng));
    EXPECT_LT(std::ranges::count_if(none, [](double f) { return f > 0.0; }),
              static_cast<std::ptrdiff_t>(none.size() / 5));
}

// What is sung holds notes: most of its frames lie within a third of a semitone of one of few pitches.
TEST(Voices, SingingHoldsNotes) {
    Rng rng(4);
    const auto x = sung(buzz(130.0, 800.0, 3 * kSecond), rng);
    ASSERT_GT(x.size(), 3 * kSecond);
    const auto f0 = fundamentals(x);
    std::map<int, int> notes;
    int voiced = 0;
    for (const double f : f0) {
        if (f <= 0.0) continue;
        ++voiced;
        ++notes[static_cast<int>(std::lround(12.0 * std::log2(f / 440.0)))];
    }
    ASSERT_GT(voiced, 50);
    std::vector<int> counts;
    for (const auto& [note, count] : notes) counts.push_back(count);
    std::ranges::sort(counts, std::greater());
    const int most =
        std::accumulate(counts.begin(), counts.begin() + std::min<std::ptrdiff_t>(5, std::ssize(counts)), 0);
    EXPECT_GT(most, voiced * 6 / 10);
    EXPECT_TRUE(sung(std::vector<float>(kSecond, 0.0F), rng).empty());
}

// On given notes: C3 and E3, 130.8 and 164.8 Hz (equal temperament, A4 at 440 Hz), here an octave too high
// for this voice, which sings them in its own.
TEST(Voices, SingGivenNotes) {
    Rng rng(5);
    const std::vector<SungNote> notes = {{2.0, 60}, {4.0, 64}};
    const auto x = sung(buzz(130.0, 800.0, 4 * kSecond), notes, rng);
    ASSERT_EQ(x.size(), 4 * kSecond);
    const auto f0 = fundamentals(x);
    const auto middle_of = [&](std::size_t first, std::size_t last) {  // of 10 ms each
        std::vector<double> voiced;
        for (std::size_t i = first; i < last; ++i)
            if (f0[i] > 0) voiced.push_back(f0[i]);
        EXPECT_GT(voiced.size(), 30U);
        std::ranges::nth_element(voiced, voiced.begin() + std::ssize(voiced) / 2);
        return voiced[voiced.size() / 2];
    };
    EXPECT_NEAR(1200 * std::log2(middle_of(50, 180) / 130.8), 0, 30);
    EXPECT_NEAR(1200 * std::log2(middle_of(250, 380) / 164.8), 0, 30);
    EXPECT_TRUE(sung(std::vector<float>(kSecond, 0.0F), notes, rng).empty());
}

// A voice of short syllables holds each as long as its note asks, at its pitch.
TEST(Voices, HoldVowelsForAsLongAsNotesLast) {
    Rng rng(6);
    std::vector<float> voice;
    for (int syllable = 0; syllable < 4; ++syllable) {
        const auto vowel = buzz(130.0, 800.0, kSecond / 4);
        voice.insert(voice.end(), vowel.begin(), vowel.end());
        voice.insert(voice.end(), kSecond / 5, 0.0F);
    }
    const std::vector<SungNote> notes = {{1.0, 48}, {2.0, 52}, {3.0, 50}};
    const auto x = held_singing(voice, notes, rng);
    ASSERT_EQ(x.size(), 3 * kSecond);
    const auto f0 = fundamentals(x);
    for (std::size_t n = 0; n < notes.size(); ++n) {
        std::vector<double> cents;
        for (std::size_t i = 100 * n + 15; i < 100 * n + 65; ++i) {  // the middle of a second, 10 ms each
            if (i < f0.size() && f0[i] > 0)
                cents.push_back(1200 * std::log2(f0[i] / 440) - 100 * (notes[n].key - 69));
        }
        ASSERT_GT(cents.size(), 40U) << n;  // 250 ms were read
        std::ranges::nth_element(cents, cents.begin() + std::ssize(cents) / 2);
        EXPECT_NEAR(cents[cents.size() / 2], 0, 30) << n;
    }
    EXPECT_TRUE(held_singing(std::vector<float>(kSecond, 0.0F), notes, rng).empty());
    EXPECT_TRUE(held_singing(voice, {}, rng).empty());
}

// A whisper has no pitch, is loud when the voice is, and has its formant: a buzz with one at 1,200 Hz.
TEST(Voices, AWhisperIsTheMouthWithoutThePitch) {
    Rng rng(4);
    Samples voice;
    for (int word = 0; word < 4; ++word) {
        const auto vowel = buzz(130.0, 1200.0, kSecond / 3);
        voice.insert(voice.end(), vowel.begin(), vowel.end());
        voice.insert(voice.end(), kSecond / 6, 0.0F);
    }
    const Samples x = whispered(voice, rng);
    ASSERT_EQ(x.size(), voice.size());
    const auto pitched = [](const Samples& sound) {
        return std::ranges::count_if(fundamentals(sound), [](double hz) { return hz > 0; });
    };
    EXPECT_GT(pitched(voice), 100);  // of 200 looks
    EXPECT_LT(pitched(x), 10);
    const auto power = [&](std::size_t first, std::size_t count) {
        return energy_of(std::span(x).subspan(first, count)) / static_cast<double>(count);
    };
    EXPECT_GT(power(kSecond / 12, kSecond / 6), 100 * power(kSecond * 5 / 12, kSecond / 20));
    const auto in_band = [&](double hz) {
        Samples y = x;
        BiquadFilter(Biquad::band_pass(kCorpusRate, hz, 3)).process(y);
        return energy_of(std::span<const float>(y));
    };
    EXPECT_GT(in_band(1200), 4 * in_band(4000));
    EXPECT_GT(in_band(1200), 4 * in_band(200));
}

TEST(Rooms, KeepTheirRatioOfDirectToReverberantSound) {
    for (std::uint64_t seed = 1; seed <= 10; ++seed) {
        Rng rng(seed);
        const RoomSpec room =
            random_room(rng, seed % 2 == 0 ? Strength::Strong : Strength::Light, Microphones::Together);
        std::vector<float> click(2 * kSecond, 0.0F);
        click[100] = 1.0F;
        const RoomSound sound = put_in_room(click, room, 0.0, rng);
        const double direct = energy_of(sound.direct[0]) + energy_of(sound.direct[1]);
        const double reverb = energy_of(sound.reverb[0]) + energy_of(sound.reverb[1]);
        EXPECT_NEAR(10.0 * std::log10(direct / reverb), room.direct_to_reverb_db, 2.0) << seed;
        // Nothing of the reverb comes within the first 30 ms.
        for (std::size_t i = 0; i < 1500; ++i) EXPECT_LT(std::abs(sound.reverb[0][i]), 1e-4F);
        // The direct sound is where it was spoken.
        EXPECT_GT(std::abs(sound.direct[0][100]), 0.3F);
        for (std::size_t i = 0; i < 100; ++i) EXPECT_LT(std::abs(sound.direct[0][i]), 1e-6F);
    }
}

// ISO 3382: the time to -60 dB by the backward integral (Schroeder 1965), from its fall between -5 and -25
// dB.
TEST(Rooms, DieAwayAsFastAsTheySay) {
    Rng rng(3);
    RoomSpec room = random_room(rng, Strength::Strong, Microphones::Together);
    room.echoes_s.clear();
    room.decay_s.fill(0.8);
    std::vector<float> click(3 * kSecond, 0.0F);
    click[0] = 1.0F;
    const auto tail = put_in_room(click, room, 0.0, rng).reverb[0];
    EXPECT_NEAR(test::decay_time_s(tail, kCorpusRate), 0.8, 0.12);
}

TEST(MusicByRule, IsRepeatableAndThere) {
    int sounding = 0;
    for (std::uint64_t seed = 1; seed <= 20; ++seed) {
        Rng first(seed);
        Rng second(seed);
        const Stereo x = synthesise_music(3 * kSecond, first);
        EXPECT_EQ(x, synthesise_music(3 * kSecond, second));
        sounding += energy_of(x[0]) > 1e-3 ? 1 : 0;
        for (const float v : x[0]) ASSERT_TRUE(std::isfinite(v));
    }
    EXPECT_GE(sounding, 18);
}

}  // namespace
}  // namespace rivlen::learn
