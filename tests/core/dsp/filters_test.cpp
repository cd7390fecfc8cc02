// SPDX-License-Identifier: GPL-3.0-or-later
// Filters, envelopes and glides against what theory says of them.
#include <gtest/gtest.h>

#include <vector>

#include <algorithm>

#include <span>

#include <random>

#include <cmath>
#include <numbers>

#include "core/dsp/active_power.h"
#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/dsp/envelope.h"
#include "core/dsp/glide.h"
#include "core/dsp/hann.h"
#include "core/dsp/interleave.h"
#include "core/dsp/quantile.h"
#include "core/dsp/running_extreme.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr double kFilterRate = 48000;

// Level of what a filter makes of a tone, behind a second in which it settles.
double measured_gain_db(const Biquad& coefficients, double hz) {
    BiquadFilter filter(coefficients);
    double in = 0, out = 0;
    for (int i = 0; i < 2 * 48000; ++i) {
        const auto x = static_cast<float>(std::sin(2 * std::numbers::pi * hz * i / kFilterRate));
        const float y = filter.step(x);
        if (i < 48000) continue;
        in += static_cast<double>(x) * static_cast<double>(x);
        out += static_cast<double>(y) * static_cast<double>(y);
    }
    return db_of_power(out / in);
}

// The slopes of a second-order section: 12 dB an octave far from the corner, -3 dB at it for q = 1 / sqrt 2
// (Butterworth).
TEST(Filters, PassWhatTheyAreNamedFor) {
    const double q = std::numbers::sqrt2 / 2;
    const Biquad low = Biquad::low_pass(kFilterRate, 1000, q);
    EXPECT_NEAR(measured_gain_db(low, 1000), -3.01, 0.05);
    EXPECT_NEAR(measured_gain_db(low, 100), 0, 0.01);
    EXPECT_NEAR(measured_gain_db(low, 4000) - measured_gain_db(low, 2000), -12, 1.0);
    const Biquad high = Biquad::high_pass(kFilterRate, 1000, q);
    EXPECT_NEAR(measured_gain_db(high, 1000), -3.01, 0.05);
    EXPECT_NEAR(measured_gain_db(high, 10000), 0, 0.01);
    EXPECT_NEAR(measured_gain_db(high, 125) - measured_gain_db(high, 250), -12, 0.3);
    const Biquad band = Biquad::band_pass(kFilterRate, 1000, 5);
    EXPECT_NEAR(measured_gain_db(band, 1000), 0, 0.01);
    // Its edges lie a bandwidth f / q apart, around the middle in octaves.
    const double edge = 1000 * (std::sqrt(1 + 1 / 100.0) + 1 / 10.0);
    EXPECT_NEAR(measured_gain_db(band, edge), -3.01, 0.2);
}

TEST(Filters, SayTheirMagnitudeThemselves) {
    for (const auto& filter :
         {Biquad::low_pass(kFilterRate, 800, 2), Biquad::high_pass(kFilterRate, 3000, 0.6),
          Biquad::band_pass(kFilterRate, 440, 8), Biquad::peaking(kFilterRate, 2500, 1.4, 9),
          Biquad::peaking(kFilterRate, 2500, 1.4, -9), Biquad::low_shelf(kFilterRate, 200, 6),
          Biquad::high_shelf(kFilterRate, 6000, -6)}) {
        for (const double hz : {60.0, 440.0, 2500.0, 9000.0}) {
            EXPECT_NEAR(db_of_amplitude(filter.magnitude(kFilterRate, hz)), measured_gain_db(filter, hz),
                        0.02)
                << hz;
        }
    }
}

TEST(Filters, ShelvesAndBellsReachTheirGains) {
    EXPECT_NEAR(measured_gain_db(Biquad::low_shelf(kFilterRate, 400, 8), 20), 8, 0.1);
    EXPECT_NEAR(measured_gain_db(Biquad::low_shelf(kFilterRate, 400, 8), 400), 4, 0.1);  // half at the corner
    EXPECT_NEAR(measured_gain_db(Biquad::low_shelf(kFilterRate, 400, 8), 12000), 0, 0.1);
    EXPECT_NEAR(measured_gain_db(Biquad::high_shelf(kFilterRate, 4000, -8), 20000), -8, 0.2);
    EXPECT_NEAR(measured_gain_db(Biquad::peaking(kFilterRate, 1000, 2, 7), 1000), 7, 0.01);
    // A cut is the mirror of a lift.
    const Biquad up = Biquad::peaking(kFilterRate, 1000, 2, 7);
    const Biquad down = Biquad::peaking(kFilterRate, 1000, 2, -7);
    for (const double hz : {200.0, 900.0, 1300.0, 8000.0})
        EXPECT_NEAR(up.magnitude(kFilterRate, hz) * down.magnitude(kFilterRate, hz), 1, 1e-9);
    // No gain changes nothing.
    for (const double hz : {50.0, 1000.0, 15000.0})
        EXPECT_NEAR(Biquad::peaking(kFilterRate, 1000, 2, 0).magnitude(kFilterRate, hz), 1, 1e-12);
}

TEST(Filters, StayStableAtTheEndsOfTheirRanges) {
    for (const double rate : {8000.0, 44100.0, 192000.0}) {
        for (const double hz : {1.0, 20.0, rate / 2, rate}) {
            for (const double q : {0.1, 40.0}) {
                BiquadFilter filter(Biquad::low_pass(rate, hz, q));
                float last = 0;
                for (int i = 0; i < 20000; ++i) last = filter.step(i == 0 ? 1.0F : 0.0F);
                EXPECT_TRUE(std::isfinite(last)) << rate << ' ' << hz << ' ' << q;
                EXPECT_LT(std::abs(last), 0.5F) << rate << ' ' << hz << ' ' << q;
            }
        }
    }
}

// After one time constant 1 - 1/e of a step is reached, after five all but 0.7 % (the definition).
TEST(Envelopes, ReachAStepInTheirTime) {
    AttackRelease envelope;
    envelope.set(10, 100, kFilterRate);
    double value = 0;
    for (int i = 0; i < 480; ++i) value = envelope.step(1);
    EXPECT_NEAR(value, 1 - std::exp(-1.0), 1e-3);
    for (int i = 0; i < 480 * 4; ++i) value = envelope.step(1);
    EXPECT_NEAR(value, 1 - std::exp(-5.0), 1e-3);
    envelope.reset(1);
    for (int i = 0; i < 4800; ++i) value = envelope.step(0);
    EXPECT_NEAR(value, std::exp(-1.0), 1e-3);
    EXPECT_EQ(envelope.value(), value);
}

TEST(Glides, ArriveInTheirTimeAndThenStand) {
    const float part = static_cast<float>(glide_part(0.05, 48000));
    float now = 0;
    int steps = 0;
    for (; now < 0.9932F; ++steps) now = glided(now, 1, part);
    EXPECT_NEAR(steps, 2400, 20);
    for (int i = 0; i < 48000; ++i) now = glided(now, 1, part);
    EXPECT_EQ(now, 1.0F);
    // Steps of several samples get as far.
    const float pieces = static_cast<float>(glide_part(0.05, 48000, 64));
    float coarse = 0;
    for (int i = 0; i < 2400 / 64; ++i) coarse = glided(coarse, 1, pieces);
    EXPECT_NEAR(coarse, 0.9932F, 2e-3F);
}

// Half of the time a tone of -20 dBFS, half of it silence: the level of the tone, not of the pauses.
TEST(ActivePower, LeavesPausesOut) {
    std::vector<float> x(4 * 48000);
    for (std::size_t i = 0; i < x.size(); ++i) {
        if (i / 48000 % 2 == 0)
            x[i] = 0.1F * static_cast<float>(
                              std::sin(2 * std::numbers::pi * 997.0 * static_cast<double>(i) / 48000.0));
    }
    EXPECT_NEAR(db_of_power(active_power(x, 48000)), -23.0, 0.05);
    EXPECT_NEAR(db_of_power(energy_of(x) / static_cast<double>(x.size())), -26.0, 0.05);
    EXPECT_EQ(active_power(std::span<const float>(), 48000), 0.0);
    const std::vector<std::vector<float>> sides = {std::vector<float>(x.size()), x};
    EXPECT_EQ(active_power(sides, 48000), active_power(x, 48000));  // of the louder one
    EXPECT_EQ(active_power(std::vector<float>(48000), 48000), 0.0);
    // Shorter than a block: its mean.
    const std::vector<float> few(100, 0.5F);
    EXPECT_NEAR(active_power(few, 48000), 0.25, 1e-6);
}

TEST(Quantiles, AreTheNearestValueOnTheWay) {
    std::vector<int> values = {9, 1, 7, 3, 5};
    EXPECT_EQ(quantile(values, 0.0), 1);
    EXPECT_EQ(quantile(values, 0.5), 5);
    EXPECT_EQ(quantile(values, 1.0), 9);
    EXPECT_EQ(quantile(values, 0.3), 3);
    std::vector<double> none;
    EXPECT_EQ(quantile(none, 0.5), 0.0);
}

// Harris 1978: shifted by a quarter of its length, four periodic windows add up to two everywhere.
TEST(HannWindow, CopiesAddUp) {
    constexpr std::size_t kLength = 64;
    for (std::size_t i = 0; i < kLength; ++i) {
        double sum = 0;
        for (std::size_t shift = 0; shift < 4; ++shift)
            sum += periodic_hann((i + shift * kLength / 4) % kLength, kLength);
        EXPECT_NEAR(sum, 2, 1e-12) << i;
        EXPECT_NEAR(symmetric_hann(i, kLength), symmetric_hann(kLength - 1 - i, kLength), 1e-12);
        EXPECT_GT(symmetric_hann(i, kLength), 0);
    }
}

TEST(Interleaving, TakesChannelsInTurn) {
    std::vector<float> out;
    interleave(std::vector<std::vector<float>>{{1, 2, 3}, {4, 5, 6}}, out);
    EXPECT_EQ(out, (std::vector<float>{1, 4, 2, 5, 3, 6}));
    interleave({}, out);
    EXPECT_TRUE(out.empty());
}

TEST(Decibels, GoBothWaysAndEndSomewhere) {
    for (const double db : {-90.0, -6.0206, 0.0, 12.0}) {
        EXPECT_NEAR(db_of_amplitude(amplitude_of_db(db)), db, 1e-9);
        EXPECT_NEAR(db_of_power(power_of_db(db)), db, 1e-9);
        EXPECT_NEAR(quick_db_of_amplitude(quick_amplitude_of_db(static_cast<float>(db))), db, 1e-3);
    }
    EXPECT_NEAR(amplitude_of_db(-6.0206), 0.5, 1e-5);
    EXPECT_EQ(db_of_amplitude(0), -200);
    EXPECT_EQ(db_of_power(0), -120);
    const auto x = test::noise(1003, 2);
    double sum = 0;
    for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
    EXPECT_NEAR(energy_of(x), sum, 1e-9);
}

// Against looking at every window anew.
TEST(RunningExtremes, AreThoseOfTheWindow) {
    std::mt19937 random(8);
    for (const std::size_t window : {1UL, 2UL, 7UL, 50UL}) {
        RunningMaximum highest(window);
        RunningMinimum lowest(window);
        highest.reset(0);
        lowest.reset(0);
        std::vector<float> seen(window, 0.0F);
        for (int i = 0; i < 2000; ++i) {
            seen.push_back(static_cast<float>(static_cast<int>(random() % 200) - 100));
            const auto last = std::span(seen).last(window);
            ASSERT_EQ(highest.step(seen.back()), *std::ranges::max_element(last)) << window;
            ASSERT_EQ(lowest.step(seen.back()), *std::ranges::min_element(last)) << window;
        }
    }
}

}  // namespace
}  // namespace rivlen
