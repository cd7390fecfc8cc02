// SPDX-License-Identifier: GPL-3.0-or-later
// SI-SDR is tested with the separation it judges (tests/core/assessment); here BSS Eval, STOI, ESTOI and the
// statistics.
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <cstdint>
#include <numbers>

#include "core/assessment/statistics.h"
#include "learn/metrics/area_under_curve.h"
#include "learn/metrics/bss_eval.h"
#include "learn/metrics/stoi.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

// Counted by hand: of four pairs of wrong and right three are in order; of one pair that ties, half.
TEST(AreaUnderCurve, IsTheShareOfPairsInOrder) {
    using learn::area_under_curve;
    EXPECT_DOUBLE_EQ(area_under_curve({{0.9, true}, {0.4, true}, {0.5, false}, {0.1, false}}), 0.75);
    EXPECT_DOUBLE_EQ(area_under_curve({{0.5, true}, {0.5, false}}), 0.5);
    EXPECT_DOUBLE_EQ(area_under_curve({{0.2, true}, {0.5, false}}), 0);
    EXPECT_DOUBLE_EQ(area_under_curve({{0.2, true}}), 0);
}

// estimate = s1 + a s2 + b n with independent noises: SIR = 1 / a^2, SAR = (1 + a^2) / b^2 (Vincent et al.
// 2006, section III, definitions 4 to 6).
TEST(BssEval, IndependentPartsGiveTheirRatios) {
    const auto s1 = test::noise(48000, 1);
    const auto s2 = test::noise(48000, 2);
    const auto n = test::noise(48000, 3);
    const std::vector<std::vector<float>> references = {s1, s2};
    const BssEval eval(references, 32);
    std::vector<float> estimate(s1.size());
    for (std::size_t i = 0; i < s1.size(); ++i) estimate[i] = s1[i] + 0.1F * s2[i] + 0.03F * n[i];
    const auto figures = eval.measure(estimate, 0);
    EXPECT_NEAR(figures.sir_db, 20.0, 0.3);
    EXPECT_NEAR(figures.sar_db, 10 * std::log10(1.01 / 0.0009), 0.3);
    EXPECT_NEAR(figures.sdr_db, 10 * std::log10(1.0 / (0.01 + 0.0009)), 0.3);
}

// A filter shorter than the allowed one is no distortion; a delay beyond it is.
TEST(BssEval, FiltersWithinTheAllowedLengthAreForgiven) {
    const auto s1 = test::noise(20000, 1);
    const std::vector<std::vector<float>> references = {s1, test::noise(20000, 2),
                                                        std::vector<float>(20000, 0.0F)};
    const BssEval eval(references, 16);
    const auto delayed = [&](std::size_t by) {
        std::vector<float> out(s1.size());
        for (std::size_t i = by; i < out.size(); ++i) out[i] = 0.5F * s1[i - by] - 0.2F * s1[i - by / 2];
        return out;
    };
    EXPECT_GT(eval.measure(delayed(8), 0).sdr_db, 30.0);
    EXPECT_LT(eval.measure(delayed(40), 0).sdr_db, 5.0);
}

std::vector<float> voice_like(std::size_t frames) {  // noise with syllables
    auto x = test::noise(frames, 5);
    for (std::size_t i = 0; i < frames; ++i) {
        const double t = static_cast<double>(i) / 16000.0;
        x[i] *= static_cast<float>(std::pow(std::sin(std::numbers::pi * 2.0 * t), 2.0) + 0.02);
    }
    return x;
}

TEST(Stoi, EqualSignalsAreWhollyIntelligibleAtAnyLevel) {
    const auto clean = voice_like(48000);
    auto quiet = clean;
    for (float& x : quiet) x *= 0.01F;
    for (const auto& other : {clean, quiet}) {
        const auto figures = intelligibility(clean, other, 16000);
        EXPECT_NEAR(figures.stoi, 1.0, 1e-4);
        EXPECT_NEAR(figures.estoi, 1.0, 1e-4);
    }
}

TEST(Stoi, FallsWithNoiseAndIsNothingForSilence) {
    const auto clean = voice_like(48000);
    const auto n = test::noise(48000, 9);
    double stoi = 1.0;
    double estoi = 1.0;
    for (const float level : {0.05F, 0.2F, 1.0F, 5.0F}) {
        auto noisy = clean;
        for (std::size_t i = 0; i < noisy.size(); ++i) noisy[i] += level * n[i];
        const auto figures = intelligibility(clean, noisy, 16000);
        EXPECT_LT(figures.stoi, stoi);
        EXPECT_LT(figures.estoi, estoi);
        stoi = figures.stoi;
        estoi = figures.estoi;
    }
    EXPECT_LT(estoi, 0.3);
    EXPECT_EQ(intelligibility(std::vector<float>(3000, 0.1F), std::vector<float>(3000, 0.1F), 16000).stoi,
              0.0);
}

// Fixed values of tests/reference/stoi.py, which follows the papers on its own; signals are made the same way
// there.
TEST(Stoi, EqualsAnIndependentImplementation) {
    constexpr int kRate = 10000;
    const auto lcg = [](std::size_t count, std::uint32_t state) {
        std::vector<float> out(count);
        for (float& x : out) {
            state = state * 1664525U + 1013904223U;
            x = static_cast<float>(state >> 8U) / 16777216.0F - 0.5F;
        }
        return out;
    };
    constexpr std::size_t kCount = 3 * kRate;
    auto clean = lcg(kCount, 1);
    const auto at = [](std::size_t i) { return static_cast<double>(i) / kRate; };
    for (std::size_t i = 0; i < kCount; ++i)
        clean[i] *= static_cast<float>(std::pow(std::sin(2.0 * std::numbers::pi * 2.0 * at(i)), 2.0) + 0.02);
    const auto seven = lcg(kCount, 7);
    const auto nine = lcg(kCount, 9);
    const auto three = lcg(kCount, 3);
    std::array<std::vector<float>, 4> processed{clean, clean, clean, clean};
    for (std::size_t i = 0; i < kCount; ++i) {
        processed[0][i] += 0.15F * seven[i];
        processed[1][i] += nine[i];
        if (three[i] <= -0.2F) processed[2][i] = 0.0F;
        processed[3][i] *= static_cast<float>(1.0 + 0.8 * std::sin(2.0 * std::numbers::pi * 3.3 * at(i)));
    }
    const std::array<std::array<double, 2>, 4> expected{
        {{0.98369, 0.81945}, {0.63787, 0.27783}, {0.92173, 0.68203}, {0.73405, 0.88722}}};
    for (std::size_t k = 0; k < processed.size(); ++k) {
        const auto figures = intelligibility(clean, processed[k], kRate);
        EXPECT_NEAR(figures.stoi, expected[k][0], 2e-3) << k;
        EXPECT_NEAR(figures.estoi, expected[k][1], 2e-3) << k;
    }
}

TEST(Statistics, SpearmanWorkedCases) {
    const std::vector<double> a = {1, 2, 3, 4, 5};
    EXPECT_NEAR(spearman(a, std::vector<double>{1, 8, 27, 64, 125}), 1.0, 1e-12);
    EXPECT_NEAR(spearman(a, std::vector<double>{5, 4, 3, 2, 1}), -1.0, 1e-12);
    // 1 - 6 * sum d^2 / (n (n^2 - 1)) with d = 1, 1, 0, 1, 1
    EXPECT_NEAR(spearman(a, std::vector<double>{20, 10, 30, 50, 40}), 0.8, 1e-12);
    EXPECT_NEAR(spearman(std::vector<double>{1, 1, 2}, std::vector<double>{5, 5, 9}), 1.0, 1e-12);  // ties
    EXPECT_EQ(spearman(a, std::vector<double>(5, 7.0)), 0.0);
}

TEST(Statistics, CoinTossesByHand) {
    EXPECT_EQ(coin_toss_p_value(0, 0), 1.0);
    EXPECT_EQ(coin_toss_p_value(3, 6), 1.0);
    EXPECT_NEAR(coin_toss_p_value(10, 10), 2.0 / 1024.0, 1e-12);
    EXPECT_NEAR(coin_toss_p_value(9, 10), 22.0 / 1024.0, 1e-12);  // 10 + 1 ways on each side
    EXPECT_NEAR(coin_toss_p_value(1, 10), 22.0 / 1024.0, 1e-12);
}

}  // namespace
}  // namespace rivlen
