// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs on known damage, on clean speech, and as parts of chains.
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <numbers>
#include <random>

#include "core/diagnosis/evidence.h"
#include "core/dsp/decibels.h"
#include "core/dsp/linear_prediction.h"
#include "core/effects/curves.h"
#include "core/effects/hum.h"
#include "core/effects/plosives.h"
#include "core/effects/processor.h"
#include "core/effects/tap.h"
#include "learn/metrics/si_sdr.h"
#include "tests/support/damage.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::add_hum;
using test::Channels;
using test::clipped;
using test::kRate;
constexpr double kTurn = 2 * std::numbers::pi;

std::vector<float> through(const Insert& part, const std::vector<float>& sound, int rate = kRate) {
    return through_chain(std::span(&part, 1), sound, rate);
}

double change_db(const std::vector<float>& clean, const std::vector<float>& changed) {
    double sum = 0;
    for (std::size_t i = 0; i < clean.size(); ++i) {
        const double d = static_cast<double>(changed[i]) - static_cast<double>(clean[i]);
        sum += d * d;
    }
    return db_of_power(sum / energy_of(clean));
}

std::vector<Insert> all_repairs() {
    std::vector<Insert> out;
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        if (is_repair(static_cast<EffectType>(k)))
            out.push_back(make_part(static_cast<EffectType>(k), static_cast<int>(k) + 1));
    }
    return out;
}

// The bound: clean speech in, an error under -50 dB.
TEST(Repair, CleanSpeechStaysAsItIs) {
    ASSERT_GT(energy_of(test::demo_voice()), 0);
    for (const auto& part : all_repairs())
        EXPECT_LT(change_db(test::demo_voice(), through(part, test::demo_voice())), -50)
            << info(part.kind).key;
}

TEST(Repair, SilenceAndNoiseComeThroughFinite) {
    for (const auto& part : all_repairs()) {
        for (const int rate : {8000, 44100, 192000}) {
            const std::vector<float> silence(30000);
            EXPECT_EQ(through(part, silence, rate), silence) << info(part.kind).key;
            auto loud = test::noise(30000, 3);
            for (float& x : loud) x *= 20;
            loud[15000] = 1e6F;
            for (const float x : through(part, loud, rate))
                ASSERT_TRUE(std::isfinite(x)) << info(part.kind).key;
        }
    }
}

// Janssen's worked case in kind: a signal that is autoregressive indeed, with a stretch of it missing, comes
// back nearly as it was when the process is strongly predictable.
TEST(Repair, MissingSamplesOfAPredictableSignalComeBack) {
    std::vector<float> x(4000);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const auto t = static_cast<double>(i);
        x[i] = static_cast<float>(0.4 * std::sin(0.11 * t) + 0.3 * std::sin(0.37 * t + 1) +
                                  0.1 * std::sin(0.9 * t));
    }
    const auto noise = test::noise(x.size(), 5);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += 0.01F * noise[i];
    auto damaged = x;
    std::vector<std::size_t> missing;
    for (std::size_t i = 2000; i < 2040; ++i) {
        missing.push_back(i);
        damaged[i] = 0;
    }
    LinearPredictor predictor(32, x.size());
    ASSERT_TRUE(predictor.fit(x));
    ArInterpolator interpolator(32, 200);
    ASSERT_TRUE(interpolator.fill(predictor.coefficients(), missing, damaged));
    EXPECT_GT(si_sdr_db(std::span(damaged).subspan(2000, 40), std::span(x).subspan(2000, 40)), 25);
}

TEST(Repair, ClippedPeaksAreRebuilt) {
    const float level = 0.2F;
    auto part = make_part(EffectType::Clipping, 1);
    part[parameter::kClipLevelDb] = db_of_amplitude(static_cast<double>(level)) - 0.02;
    // A held chord is predictable, and comes back nearly whole.
    std::vector<float> chord(4 * kRate);
    for (std::size_t i = 0; i < chord.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        for (const double hz : {784.0, 987.8, 1174.7, 1568.0, 2349.3})
            chord[i] += static_cast<float>(0.08 * std::sin(kTurn * hz * t + hz));
    }
    EXPECT_GT(si_sdr_db(through(part, clipped(chord, level)), chord),
              si_sdr_db(clipped(chord, level), chord) + 10);
    // A synthetic voice is excited right at its peaks, which is the hardest case for prediction.
    const auto damaged = clipped(test::demo_voice(), level);
    const auto repaired = through(part, damaged);
    EXPECT_GT(si_sdr_db(repaired, test::demo_voice()), si_sdr_db(damaged, test::demo_voice()) + 0.7);
    // Only what was cut off is touched.
    for (std::size_t i = 0; i < damaged.size(); ++i) {
        if (std::abs(damaged[i]) < 0.9F * level) {
            ASSERT_NEAR(repaired[i], damaged[i], 1e-6F) << i;
        }
    }
}

TEST(Repair, ClicksGoAndTheRestStays) {
    auto damaged = test::demo_voice();
    std::vector<std::size_t> places;
    const auto grain = test::noise(20, 9);
    for (std::size_t at = kRate; at + kRate / 2 < damaged.size(); at += kRate / 2 + 1237) {
        for (std::size_t i = 0; i < 20; ++i) damaged[at + i] += 4 * grain[i];
        places.push_back(at);
    }
    const auto repaired = through(make_part(EffectType::Clicks, 1), damaged);
    EXPECT_GT(si_sdr_db(repaired, test::demo_voice()), si_sdr_db(damaged, test::demo_voice()) + 10);
    // Away from the clicks nothing changes.
    std::size_t next = 0;
    std::size_t changed = 0;
    for (std::size_t i = 0; i < damaged.size(); ++i) {
        while (next < places.size() && places[next] + 500 < i) ++next;
        const bool near = next < places.size() && i + 500 > places[next];
        if (!near && std::abs(repaired[i] - damaged[i]) > 1e-6F) ++changed;
    }
    EXPECT_LT(changed, damaged.size() / 1000);
}

TEST(Repair, HumIsFoundFollowedAndSubtracted) {
    for (const double hz : {50.0, 59.7}) {
        auto damaged = test::demo_voice();
        add_hum(damaged, hz, 6, -38);
        auto part = make_part(EffectType::Hum, 1);
        part[parameter::kHumHz] = hz + 0.15;  // a little off: it follows
        const auto repaired = through(part, damaged);
        EXPECT_GT(si_sdr_db(repaired, test::demo_voice()), si_sdr_db(damaged, test::demo_voice()) + 9) << hz;
    }
    // A held tone that is not among its multiples stays.
    std::vector<float> tone(10 * kRate);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] = 0.1F * static_cast<float>(std::sin(kTurn * 220.0 * static_cast<double>(i) / kRate));
    EXPECT_LT(change_db(tone, through(make_part(EffectType::Hum, 1), tone)), -40);
}

TEST(Repair, ThumpsGoFromUnderTheVoice) {
    auto damaged = test::demo_voice();
    int put = 0;
    for (std::size_t at = 2 * kRate; at + kRate < damaged.size(); at += 3 * kRate, ++put) {
        for (std::size_t i = 0; i < kRate / 4; ++i) {
            const double t = static_cast<double>(i) / kRate;
            damaged[at + i] += static_cast<float>(0.6 * (1 - std::exp(-t / 0.006)) * std::exp(-t / 0.05) *
                                                  std::sin(kTurn * 28 * t));
        }
    }
    const auto part = make_part(EffectType::Plosives, 1);
    EXPECT_GT(si_sdr_db(through(part, damaged), test::demo_voice()),
              si_sdr_db(damaged, test::demo_voice()) + 10);
    PlosiveRemover remover(kRate);
    remover.set(part.values);
    auto left = damaged;
    auto right = damaged;
    remover.process({left, right});
    EXPECT_EQ(remover.found(), static_cast<std::size_t>(put));
}

// Three running means of length L pass f with (sin(pi f L / r) / (L sin(pi f / r)))^3 = h; twicing makes 2 h
// - h^2.
TEST(Repair, RunningLowPassHasItsResponse) {
    constexpr std::size_t kLength = 481;
    for (const double hz : {10.0, 30.0, 60.0, 100.0, 150.0}) {
        RunningLowPass filter(kLength);
        filter.set_length(kLength);
        std::vector<float> out(kRate);
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] = filter.step(static_cast<float>(std::sin(kTurn * hz * static_cast<double>(i) / kRate)));
        const auto settled = std::span(out).subspan(kRate / 2);
        const double gain = std::sqrt(2 * energy_of(settled) / static_cast<double>(settled.size()));
        const double angle = std::numbers::pi * hz / kRate;
        const double h = std::pow(std::sin(kLength * angle) / (kLength * std::sin(angle)), 3);
        EXPECT_NEAR(gain, std::abs(2 * h - h * h), 0.01) << hz;
    }
}

TEST(Repair, WindAndHissAreTurnedDown) {
    std::mt19937 random(11);
    std::normal_distribution<float> normal;
    auto windy = test::demo_voice();
    double low = 0;
    double lower = 0;
    for (std::size_t i = 0; i < windy.size(); ++i) {
        low += 0.004 * (static_cast<double>(normal(random)) - low);
        lower += 0.004 * (low - lower);
        const double gust = 0.5 + 0.5 * std::sin(kTurn * static_cast<double>(i) / (2.7 * kRate));
        windy[i] += static_cast<float>(12 * gust * lower);
    }
    ASSERT_LT(si_sdr_db(windy, test::demo_voice()), 6);
    EXPECT_GT(si_sdr_db(through(make_part(EffectType::Wind, 1), windy), test::demo_voice()),
              si_sdr_db(windy, test::demo_voice()) + 5);

    auto hissing = test::demo_voice();
    for (float& x : hissing) x += 0.003F * normal(random);
    const auto evidence = find_hiss(hissing, kRate);
    auto part = make_part(EffectType::Hiss, 1);
    part[parameter::kHissLevelDb] = evidence.third_octave_dbfs + 1.5;
    part[parameter::kHissTiltDb] = evidence.tilt_db;
    EXPECT_NEAR(evidence.tilt_db, 0, 0.7);
    EXPECT_GT(si_sdr_db(through(part, hissing), test::demo_voice()),
              si_sdr_db(hissing, test::demo_voice()) + 3);
}

// What is heard as removed is what went in less what came out, and a tap gets the same.
TEST(Repair, TheRemovedIsTheDifference) {
    auto damaged = test::demo_voice();
    damaged.resize(6 * kRate);
    add_hum(damaged, 50, 4, -30);
    const auto part = make_part(EffectType::Hum, 1);
    const auto out = through(part, damaged);
    Chain chain(std::span(&part, 1), kRate);
    Tap tap;
    chain.hear(0, Chain::Audition::Removed);
    chain.watch(0, &tap);
    const auto latency = static_cast<std::size_t>(chain.latency());
    std::array<std::vector<float>, 2> block{damaged, damaged};
    for (auto& channel : block) channel.resize(damaged.size() + latency);
    chain.process({block[0], block[1]});
    for (std::size_t i = 0; i < damaged.size(); ++i)
        ASSERT_NEAR(block[0][i + latency], damaged[i] - out[i], 2e-5F) << i;
    const auto tapped = tap.read();
    for (std::size_t i = 0; i < tapped.size(); ++i)
        ASSERT_NEAR(tapped[i], block[0][block[0].size() - tapped.size() + i], 1e-6F) << i;
    EXPECT_EQ(curve_kind(EffectType::Hum), CurveKind::Removed);
}

}  // namespace
}  // namespace rivlen
