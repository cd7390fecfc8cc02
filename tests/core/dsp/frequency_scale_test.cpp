// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/frequency_scale.h"

#include <gtest/gtest.h>

#include <random>

#include "core/dsp/note_name.h"

namespace rivlen {
namespace {

// Glasberg and Moore (1990), equation 4: at 1 kHz 15.6 auditory filters lie below, at 4 kHz 27.1 (21.4 log10
// of 5.37 and 18.48, worked by hand).
TEST(FrequencyScale, TheEarsScaleIsThePapers) {
    const FrequencyRange ear{FrequencyScale::Ear, 20, 24000};
    const double low = 21.4 * std::log10(4.37e-3 * 20 + 1), high = 21.4 * std::log10(4.37e-3 * 24000 + 1);
    EXPECT_NEAR(ear.position(1000), (15.621 - low) / (high - low), 1e-4);
    EXPECT_NEAR(ear.position(4000), (27.107 - low) / (high - low), 1e-4);
}

TEST(FrequencyScale, PlacesAndFrequenciesAreEachOthersInverse) {
    for (std::size_t s = 0; s < kFrequencyScales; ++s) {
        const FrequencyRange range{static_cast<FrequencyScale>(s), 60, 9000};
        EXPECT_NEAR(range.position(60), 0, 1e-12);
        EXPECT_NEAR(range.position(9000), 1, 1e-12);
        for (double p = 0; p <= 1; p += 0.05) EXPECT_NEAR(range.position(range.hz_at(p)), p, 1e-9);
    }
    EXPECT_NEAR((FrequencyRange{FrequencyScale::Log, 100, 10000}.hz_at(0.5)), 1000, 1e-6);
    EXPECT_NEAR((FrequencyRange{FrequencyScale::Linear, 100, 10100}.hz_at(0.5)), 5100, 1e-6);
}

TEST(FrequencyScale, ZoomingKeepsTheFrequencyUnderThePointer) {
    for (std::size_t s = 0; s < kFrequencyScales; ++s) {
        const FrequencyRange range{static_cast<FrequencyScale>(s), 100, 12000};
        const FrequencyRange closer = range.zoomed(0.5, 1500);
        EXPECT_NEAR(closer.position(1500), range.position(1500), 1e-9);
        EXPECT_GT(closer.low_hz, range.low_hz);
        EXPECT_LT(closer.high_hz, range.high_hz);
        const FrequencyRange back = closer.zoomed(2, 1500);
        EXPECT_NEAR(back.low_hz, range.low_hz, 1e-6);
        EXPECT_NEAR(back.high_hz, range.high_hz, 1e-6);
    }
}

// Whatever is done, a range stays one: within what can be shown, and never turned around.
TEST(FrequencyScale, AnyZoomAndScrollStaysWithinWhatIsShown) {
    std::mt19937 random(4);
    for (std::size_t s = 0; s < kFrequencyScales; ++s) {
        FrequencyRange range{static_cast<FrequencyScale>(s), 50, 16000};
        for (int i = 0; i < 3000; ++i) {
            const double x = static_cast<double>(random() % 1000) / 1000;
            range =
                i % 3 == 0 ? range.moved(2 * x - 1) : range.zoomed(0.3 + 2 * x, range.hz_at(1.4 * x - 0.2));
            ASSERT_GE(range.low_hz, kLowestShownHz - 1e-6);
            ASSERT_LE(range.high_hz, kHighestShownHz + 1e-6);
            ASSERT_GT(range.high_hz, range.low_hz * 1.001);
        }
    }
}

// ISO 16: A4 is 440 Hz; the others by twelfths of an octave, C4 at 261.63 Hz.
TEST(NoteName, IsTheNearestOfTheTemperedScale) {
    EXPECT_EQ(note_name(440), "A4");
    EXPECT_EQ(note_name(261.6256), "C4");
    EXPECT_EQ(note_name(27.5), "A0");
    EXPECT_EQ(note_name(466.1638), "A#4");
    EXPECT_EQ(note_name(440 * std::exp2(12.0 / 1200)), "A4 +12 ct");
    EXPECT_EQ(note_name(440 * std::exp2(-49.0 / 1200)), "A4 -49 ct");
    EXPECT_EQ(note_name(118), "A#2 +22 ct");  // 12 log2(118 / 440) + 69 = 46.215
    EXPECT_EQ(note_name(3), "");
}

}  // namespace
}  // namespace rivlen
