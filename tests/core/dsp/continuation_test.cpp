// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/continuation.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr std::size_t kSide = 24000;
constexpr std::size_t kMissing = 4800;  // 100 ms at 48 kHz
constexpr std::size_t kModelOrder = 512;

std::vector<float> two_tones(std::size_t count) {
    std::vector<float> x(count);
    for (std::size_t i = 0; i < count; ++i) {
        const double t = static_cast<double>(i) / 48000;
        x[i] = static_cast<float>(0.1 * std::sin(2 * std::numbers::pi * 118 * t + 0.3) +
                                  0.05 * std::sin(2 * std::numbers::pi * 354 * t + 1.1));
    }
    return x;
}

double db_between(std::span<const float> truth, std::span<const float> made) {
    double apart = 1e-20;
    for (std::size_t i = 0; i < truth.size(); ++i)
        apart += std::pow(static_cast<double>(truth[i] - made[i]), 2);
    return db_of_power(energy_of(truth) / apart);
}

// An autoregressive process of known coefficients, from white noise.
TEST(Continuation, BurgFindsTheCoefficientsOfAProcess) {
    const std::vector<double> known = {1.0, -1.6, 0.9};
    auto x = test::noise(40000, 11);
    for (std::size_t n = 2; n < x.size(); ++n)
        x[n] -= static_cast<float>(known[1]) * x[n - 1] + static_cast<float>(known[2]) * x[n - 2];
    const auto found = burg_coefficients(x, 4);
    for (std::size_t i = 0; i < found.size(); ++i)
        EXPECT_NEAR(found[i], i < known.size() ? known[i] : 0.0, 0.02) << i;
    const auto silence = burg_coefficients(std::vector<float>(4096), 8);
    EXPECT_EQ(silence[0], 1.0);
    for (std::size_t i = 1; i < silence.size(); ++i) EXPECT_EQ(silence[i], 0.0);
}

// Over soft noise, as tones of machines are.
TEST(Continuation, TonesGoOnWithTheirPhases) {
    const auto whole = two_tones(2 * kSide + kMissing);
    auto heard = whole;
    const auto noise = test::noise(heard.size(), 3);
    for (std::size_t i = 0; i < heard.size(); ++i) heard[i] += 0.003F * noise[i];
    const std::span<const float> x(heard);
    const auto made = bridged(x.first(kSide), x.last(kSide), kMissing, kModelOrder);
    EXPECT_GT(db_between(std::span(whole).subspan(kSide, kMissing), made), 25);
    // From one side alone it goes astray more, but not much within 100 ms.
    const auto from_before = bridged(x.first(kSide), {}, kMissing, kModelOrder);
    EXPECT_GT(db_between(std::span(whole).subspan(kSide, kMissing), from_before), 15);
    const auto from_behind = bridged({}, x.last(kSide), kMissing, kModelOrder);
    EXPECT_GT(db_between(std::span(whole).subspan(kSide, kMissing), from_behind), 15);
}

TEST(Continuation, NoiseKeepsItsLevelAndSpectrum) {
    // Noise through a gentle low-pass: neighbouring samples have much in common.
    auto x = test::noise(2 * kSide, 8);
    for (std::size_t n = 1; n < x.size(); ++n) x[n] = 0.3F * x[n] + 0.7F * x[n - 1];
    const std::span<const float> sound(x);
    const auto made = bridged(sound.first(kSide), sound.last(kSide), kMissing, kModelOrder);
    const auto level = [](std::span<const float> s) {
        return db_of_power(energy_of(s) / static_cast<double>(s.size()));
    };
    EXPECT_NEAR(level(made), level(sound), 1.5);
    const auto alike = [](std::span<const float> s) {
        double products = 0;
        for (std::size_t n = 1; n < s.size(); ++n)
            products += static_cast<double>(s[n]) * static_cast<double>(s[n - 1]);
        return products / energy_of(s);
    };
    EXPECT_NEAR(alike(made), alike(sound), 0.1);
    // In each third of the gap, so that it does not sink in its middle.
    for (std::size_t part = 0; part < 3; ++part)
        EXPECT_NEAR(level(std::span<const float>(made).subspan(part * kMissing / 3, kMissing / 3)),
                    level(sound), 2.5);
}

TEST(Continuation, HasNothingToGoOnFromInSilence) {
    const std::vector<float> silence(kSide);
    for (const auto& made :
         {bridged(silence, silence, 1000, kModelOrder), bridged({}, {}, 1000, kModelOrder)}) {
        ASSERT_EQ(made.size(), 1000U);
        for (const float x : made) ASSERT_EQ(x, 0.0F);
    }
    const auto loud = test::noise(kSide, 5);
    for (const float x : bridged(loud, silence, 5 * kSide, kModelOrder)) ASSERT_TRUE(std::isfinite(x));
}

}  // namespace
}  // namespace rivlen
