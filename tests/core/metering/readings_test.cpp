// SPDX-License-Identifier: GPL-3.0-or-later
// What the correlation meter and the line of loudness say of sound whose values are known beforehand.
#include <gtest/gtest.h>

#include <cmath>
#include <cstdint>
#include <numbers>
#include <vector>

#include "core/metering/correlation.h"
#include "core/metering/loudness.h"
#include "core/metering/loudness_trace.h"

namespace rivlen {
namespace {

constexpr int kReadingRate = 48000;

// Two seconds: many times the meter's moment.
std::vector<float> reading_tone(double hz, double phase = 0, double amplitude = 0.25) {
    std::vector<float> out(2 * kReadingRate);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double turn = 2 * std::numbers::pi * hz * static_cast<double>(i) / kReadingRate;
        out[i] = static_cast<float>(amplitude * std::sin(turn + phase));
    }
    return out;
}

Level correlation_of(const std::vector<float>& left, const std::vector<float>& right) {
    CorrelationMeter meter(kReadingRate);
    meter.add(left, right);
    return meter.value();
}

// By the definition of Pearson's coefficient for signals without an offset.
TEST(Correlation, IsTheCosineOfTheAngleBetweenTwoTones) {
    const auto left = reading_tone(1000);
    for (const double degrees : {0.0, 30.0, 60.0, 90.0, 120.0, 180.0}) {
        const double phase = degrees * std::numbers::pi / 180;
        const Level value = correlation_of(left, reading_tone(1000, phase));
        ASSERT_TRUE(value) << degrees;
        EXPECT_NEAR(*value, std::cos(phase), 0.002) << degrees;
    }
}

TEST(Correlation, DoesNotDependOnTheLevelOfASide) {
    const Level value = correlation_of(reading_tone(1000), reading_tone(1000, 0, 0.002));
    ASSERT_TRUE(value);
    EXPECT_NEAR(*value, 1, 1e-6);
}

// As much of something else beside the common sound: one over the root of two.
TEST(Correlation, FallsByWhatOnlyOneSideHas) {
    const auto left = reading_tone(1000);
    auto right = left;
    const auto other = reading_tone(3700);
    for (std::size_t i = 0; i < right.size(); ++i) right[i] += other[i];
    const Level value = correlation_of(left, right);
    ASSERT_TRUE(value);
    EXPECT_NEAR(*value, std::numbers::sqrt2 / 2, 0.002);
}

TEST(Correlation, ForgetsWhatWas) {
    const auto left = reading_tone(1000);
    CorrelationMeter meter(kReadingRate);
    meter.add(left, left);
    meter.add(left, reading_tone(1000, std::numbers::pi));
    ASSERT_TRUE(meter.value());
    EXPECT_LT(*meter.value(), -0.99);
}

TEST(Correlation, IsMissingWhereASideIsSilent) {
    const auto tone = reading_tone(1000);
    const std::vector<float> silence(tone.size());
    EXPECT_FALSE(correlation_of(tone, silence));
    EXPECT_FALSE(correlation_of(silence, tone));
    EXPECT_FALSE(CorrelationMeter(kReadingRate).value());
}

constexpr std::int64_t kTraceStep = LoudnessTrace::kStepFrames;

TEST(LoudnessLine, KnowsOnlyWhatWasPlayed) {
    LoudnessTrace trace;
    EXPECT_FALSE(trace.loudest(0, 100 * kTraceStep));
    trace.add(10 * kTraceStep, -23);
    trace.add(12 * kTraceStep, -18);
    EXPECT_FALSE(trace.loudest(0, 10 * kTraceStep - 1));
    EXPECT_FALSE(trace.loudest(11 * kTraceStep, 12 * kTraceStep - 1));
    EXPECT_FALSE(trace.loudest(13 * kTraceStep, 100 * kTraceStep));
    EXPECT_EQ(trace.loudest(10 * kTraceStep, 11 * kTraceStep), -23.0);
    EXPECT_EQ(trace.loudest(0, 100 * kTraceStep), -18.0);
}

// Played again after a change, it says what is heard now, also where that is quieter.
TEST(LoudnessLine, TakesWhatWasHeardLast) {
    LoudnessTrace trace;
    trace.add(5 * kTraceStep, -18);
    trace.add(5 * kTraceStep + 1, -30);
    EXPECT_EQ(trace.loudest(0, 10 * kTraceStep), -30.0);
    trace.clear();
    EXPECT_FALSE(trace.loudest(0, 10 * kTraceStep));
}

// The end of a range is left out, so that of two columns beside each other one shows a step.
TEST(LoudnessLine, LeavesOutTheEndOfARange) {
    LoudnessTrace trace;
    trace.add(5 * kTraceStep, -18);
    EXPECT_FALSE(trace.loudest(4 * kTraceStep, 5 * kTraceStep));
    EXPECT_EQ(trace.loudest(5 * kTraceStep, 5 * kTraceStep + 1), -18.0);
}

// A sine at a quarter of the rate whose samples lie 45 degrees beside its peaks: its true peak is 3.01 dB
// above its samples (ITU-R BS.1770-4, annex 2). Each channel has its own, whichever way it is measured.
TEST(TruePeaks, AreThoseOfEachChannel) {
    const std::vector<std::vector<float>> sound = {reading_tone(12000, std::numbers::pi / 4, 0.5),
                                                   reading_tone(12000, std::numbers::pi / 4, 0.25),
                                                   std::vector<float>(2 * kReadingRate)};
    for (const auto kind : {LoudnessMeter::Kind::Exact, LoudnessMeter::Kind::Running}) {
        LoudnessMeter meter(kReadingRate, Layout::Lcr, kind);
        meter.add(sound);
        ASSERT_TRUE(meter.true_peak_dbtp(0) && meter.true_peak_dbtp(1));
        EXPECT_NEAR(*meter.true_peak_dbtp(0), -6.02, 0.3);
        EXPECT_NEAR(*meter.true_peak_dbtp(1), -12.04, 0.3);
        EXPECT_FALSE(meter.true_peak_dbtp(2).has_value());
        EXPECT_FALSE(meter.true_peak_dbtp(3).has_value());
        EXPECT_EQ(meter.result().true_peak_dbtp, meter.true_peak_dbtp(0));
    }
}

TEST(LoudnessLine, BeforeTheSessionNothingIsKept) {
    LoudnessTrace trace;
    trace.add(-1, -18);
    EXPECT_FALSE(trace.loudest(-kTraceStep, kTraceStep));
}

}  // namespace
}  // namespace rivlen
