// SPDX-License-Identifier: GPL-3.0-or-later
// Every measure on sound whose figure follows from how it was made.
#include "core/diagnosis/evidence.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "core/diagnosis/line_fit.h"
#include "core/diagnosis/stretches.h"
#include "core/dsp/decibels.h"
#include "tests/support/damage.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr int kLookRate = 48000;

std::vector<float> sine_of(double hz, double level_dbfs, double seconds, int rate = kLookRate) {
    std::vector<float> out(static_cast<std::size_t>(seconds * rate));
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = static_cast<float>(amplitude_of_db(level_dbfs) *
                                    std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / rate));
    return out;
}

// White, of a variance.
std::vector<float> gaussian(double variance, double seconds, unsigned seed, int rate = kLookRate) {
    std::mt19937 random(seed);
    std::normal_distribution<float> value(0, static_cast<float>(std::sqrt(variance)));
    std::vector<float> out(static_cast<std::size_t>(seconds * rate));
    for (float& x : out) x = value(random);
    return out;
}

// After every word of a quarter of a second its room: noise that falls by 60 dB in rt60_s.
std::vector<float> words_in_a_room(double rt60_s) {
    std::vector<float> out;
    for (unsigned word = 0; word < 8; ++word) {
        auto sound = gaussian(0.01, 2.0, 10 + word);
        const std::size_t ends = kLookRate / 4;
        for (std::size_t i = ends; i < sound.size(); ++i)
            sound[i] *= static_cast<float>(
                amplitude_of_db(-60 * static_cast<double>(i - ends) / (rt60_s * kLookRate)));
        out.insert(out.end(), sound.begin(), sound.end());
    }
    return out;
}

TEST(SpeechLevels, ReadASineAtItsPeakWhateverPausesThereAre) {
    auto sound = sine_of(440, -18, 4);
    EXPECT_NEAR(measure_speech(sound, kLookRate).active_dbfs, -18, 0.05);
    EXPECT_NEAR(measure_speech(sound, kLookRate).peak_dbfs, -18, 0.05);
    sound.resize(sound.size() * 3);  // then twice as much silence
    EXPECT_NEAR(measure_speech(sound, kLookRate).active_dbfs, -18, 0.05);
    sound[0] = -1.0F;
    EXPECT_NEAR(measure_speech(sound, kLookRate).peak_dbfs, 0, 1e-6);
    EXPECT_NEAR(measure_speech(sound, kLookRate).active_dbfs, -18, 0.1);
}

// What is more than 25 dB under the loud frames is no speech.
TEST(SpeechLevels, LeaveOutWhatIsFarUnderTheVoice) {
    auto sound = sine_of(440, -20, 2);
    const auto floor = sine_of(440, -50, 2);
    const double alone = measure_speech(sound, kLookRate).active_dbfs;
    sound.insert(sound.end(), floor.begin(), floor.end());
    EXPECT_NEAR(measure_speech(sound, kLookRate).active_dbfs, alone, 0.05);
    EXPECT_EQ(measure_speech({}, kLookRate).active_dbfs, SpeechLevel{}.active_dbfs);
}

TEST(Hum, IsFoundByFrequencyNumberAndLevel) {
    for (const double hz : {49.97, 50.02, 59.98}) {
        auto sound = test::demo_voice();
        test::add_hum(sound, hz, 5, -42);
        const auto hum = find_hum(sound, kLookRate);
        EXPECT_NEAR(hum.frequency_hz, hz, 0.03);
        EXPECT_GE(hum.tones, 3) << hz;
        EXPECT_LE(hum.highest, 6) << hz;
        // Powers of 1, 1/4, 1/9, 1/16, 1/25 add up to 1.65 dB over the first. A line between two bins of a
        // Hann window reads up to 1.4 dB low (F. J. Harris, Proc. IEEE 66, 1978, table 1).
        EXPECT_NEAR(hum.level_dbfs, -42 + 1.65, 2.0) << hz;
    }
    const auto clean = find_hum(test::demo_voice(), kLookRate);
    EXPECT_LT(clean.clearest_db, 10);
    EXPECT_LE(find_hum(gaussian(0.01, 10, 1), kLookRate).tones, 2);
}

TEST(Clipping, IsFoundAtItsLevelAndOnlyWhereItIs) {
    for (const double level_db : {-9.0, -12.0, -15.0}) {
        const auto level = static_cast<float>(amplitude_of_db(level_db));
        const auto found = find_clipping(test::clipped(test::demo_voice(), level));
        EXPECT_TRUE(found.clipped) << level_db;
        EXPECT_NEAR(found.level_dbfs, level_db, 0.2);
    }
    EXPECT_FALSE(find_clipping(test::demo_voice()).clipped);
    EXPECT_FALSE(find_clipping(gaussian(0.01, 5, 2)).clipped);
    // A slow sine is at its top for long, but not flat there.
    EXPECT_FALSE(find_clipping(sine_of(60, -3, 5)).clipped);
    // A click above the tops hides nothing.
    auto clicked = test::clipped(test::demo_voice(), 0.2F);
    clicked[kLookRate] = 0.6F;
    EXPECT_TRUE(find_clipping(clicked).clipped);
}

// Noise of variance v has a density of v / 24000 a hertz, and the third octave around 4 kHz is 926.3 Hz wide.
// The quietest tenth of the time lies further under the mean in bands of few bins: the tilt is up to 0.7 dB
// too steep.
TEST(Hiss, OfWhiteNoiseIsItsDensity) {
    constexpr double kVariance = 1e-6;
    const auto hiss = find_hiss(gaussian(kVariance, 20, 3), kLookRate);
    const double width_hz = 4000 * (std::exp2(1.0 / 6) - std::exp2(-1.0 / 6));
    EXPECT_NEAR(hiss.third_octave_dbfs, db_of_power(kVariance * width_hz / 24000), 1.0);
    EXPECT_NEAR(hiss.tilt_db, 0, 0.7);
    EXPECT_LT(hiss.rough_db, 0.5);
    EXPECT_LT(hiss.unsteady_db, 2.0);
}

TEST(Hiss, TiltsAsItIsTiltedAndRises) {
    auto sound = gaussian(1e-6, 20, 4);
    const double level_tilt_db = find_hiss(sound, kLookRate).tilt_db;
    float before = 0;
    for (float& x : sound) {  // a difference has |2 sin(w / 2)|: 5.6 dB per octave from 1 to 16 kHz
        const float now = x;
        x = now - before;
        before = now;
    }
    const auto hiss = find_hiss(sound, kLookRate);
    EXPECT_NEAR(hiss.tilt_db - level_tilt_db, 5.6, 0.3);
    auto louder = sound;
    for (float& x : louder) x *= 10;
    EXPECT_NEAR(find_hiss(louder, kLookRate).level_dbfs - hiss.level_dbfs, 20, 0.05);
    EXPECT_EQ(find_hiss(std::vector<float>(100), kLookRate).level_dbfs, HissEvidence{}.level_dbfs);
}

// A voice does not hide it: the quietest tenth of the time is between the words.
TEST(Hiss, IsMeasuredBetweenTheWords) {
    auto sound = test::demo_voice();
    const auto noise = gaussian(1e-7, 20, 5);
    for (std::size_t i = 0; i < sound.size(); ++i) sound[i] += noise[i];
    EXPECT_NEAR(find_hiss(sound, kLookRate).third_octave_dbfs, find_hiss(noise, kLookRate).third_octave_dbfs,
                2.5);
}

TEST(Spectrum, EdgesOfWhiteNoiseAreLevel) {
    const auto white = measure_spectrum(gaussian(0.01, 10, 6), kLookRate);
    EXPECT_NEAR(white.low_edge_db, 0, 0.5);
    EXPECT_NEAR(white.high_edge_db, 0, 0.3);
    // 6 to 10 kHz of 80 to 20000 Hz are a fifth of it.
    EXPECT_NEAR(white.sibilance_db, db_of_power(4.0 / 19.92), 2.0);
    EXPECT_NEAR(white.colour_db[0] + white.colour_db[1] + white.colour_db[2], 0, 1e-9);
    const auto hissing = measure_spectrum(sine_of(8000, -20, 4), kLookRate);
    EXPECT_NEAR(hissing.sibilance_db, 0, 0.1);
}

TEST(Decay, IsTheTimeForSixtyDecibels) {
    for (const double rt60_s : {0.3, 0.6, 1.0}) {
        const auto decay = measure_decay(words_in_a_room(rt60_s), kLookRate);
        EXPECT_GE(decay.falls, 6U) << rt60_s;
        EXPECT_NEAR(decay.seconds, rt60_s, 0.12 * rt60_s);
    }
    EXPECT_EQ(measure_decay(gaussian(0.01, 8, 7), kLookRate).seconds, 0);  // nothing falls
    EXPECT_EQ(measure_decay({}, kLookRate).falls, 0U);
}

TEST(LineFits, GoThroughPointsOnALine) {
    LineFit line;
    EXPECT_FALSE(line.fits(1));
    for (const double x : {-2.0, 0.5, 3.0, 7.0}) line.add(x, 4 - 1.5 * x);
    ASSERT_TRUE(line.fits(4));
    EXPECT_FALSE(line.fits(5));
    EXPECT_NEAR(line.slope(), -1.5, 1e-12);
    EXPECT_NEAR(line.at_zero(), 4, 1e-12);
    LineFit upright;
    for (int i = 0; i < 5; ++i) upright.add(2, i);
    EXPECT_FALSE(upright.fits(2));
}

TEST(Stretches, OfALongRecordingSpanAllOfIt) {
    EXPECT_EQ(stretches_to_look_at(kLookRate * 100, kLookRate).size(), 1U);
    const auto stretches = stretches_to_look_at(std::int64_t{kLookRate} * 3600, kLookRate);
    ASSERT_EQ(stretches.size(), 8U);
    EXPECT_EQ(stretches.front().first, 0);
    EXPECT_EQ(stretches.back().last, std::int64_t{kLookRate} * 3600);
    for (std::size_t i = 0; i + 1 < stretches.size(); ++i)
        EXPECT_LT(stretches[i].last, stretches[i + 1].first);
    std::vector<float> ones(kLookRate, 1.0F);
    fade_ends(ones, kLookRate);
    EXPECT_EQ(ones.front(), 0.0F);
    EXPECT_EQ(ones.back(), 0.0F);
    EXPECT_NEAR(ones[480], 0.5F, 1e-3F);  // in the middle of 20 ms
    EXPECT_EQ(ones[kLookRate / 2], 1.0F);
}

}  // namespace
}  // namespace rivlen
