// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "core/assessment/level_match.h"
#include "core/assessment/overview.h"
#include "core/metering/loudness.h"
#include "learn/metrics/si_sdr.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

// Le Roux et al. 2019: for an estimate s + n with n orthogonal to s, SI-SDR is |s|^2 / |n|^2, whatever the
// scale.
TEST(SiSdr, AnalyticCases) {
    std::vector<float> s(4800);
    std::vector<float> estimate(4800);
    for (std::size_t i = 0; i < s.size(); ++i) {
        s[i] = static_cast<float>(std::sin(2 * M_PI * 10.0 * static_cast<double>(i) / 4800.0));
        estimate[i] =
            3.0F *
            (s[i] + 0.1F * static_cast<float>(std::cos(2 * M_PI * 10.0 * static_cast<double>(i) / 4800.0)));
    }
    EXPECT_NEAR(si_sdr_db(estimate, s), 20.0, 1e-3);
    EXPECT_GT(si_sdr_db(s, s), 100.0);
}

// EBU Tech 3341 (2016), test case 1: a 1 kHz sine in stereo, -23 dBFS, 20 s: -23.0 +- 0.1 LUFS. Case 2: -33
// dBFS.
TEST(Loudness, EbuTech3341Cases1And2) {
    for (const double level_db : {-23.0, -33.0}) {
        std::vector<float> sine(48000 * 20);
        for (std::size_t i = 0; i < sine.size(); ++i) {
            sine[i] = static_cast<float>(std::pow(10.0, level_db / 20) *
                                         std::sin(2 * M_PI * 1000.0 * static_cast<double>(i) / 48000.0));
        }
        LoudnessMeter meter(48000, 2);
        meter.add(test::Channels{sine, sine});
        EXPECT_NEAR(meter.result().integrated_lufs.value(), level_db, 0.1);
        EXPECT_NEAR(meter.result().sample_peak_dbfs.value(), level_db, 0.1);
    }
}

TEST(Match, BringsEveryWayOfListeningToTheSourcesLoudness) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 4.0);
    const auto closed = test::even_map(scratch, source, {0.15F, 0.15F, 0.55F, 0.15F});
    const auto map = *closed.opened(std::make_shared<const MaskMap>(test::random_map(scratch, source, 7)));
    ShapeSettings settings;
    settings.stems[1].mute = true;
    auto match = measure_match(source, &map, settings, 0, static_cast<std::int64_t>(source.frames()));
    ASSERT_TRUE(match.ok());
    for (std::size_t m = 0; m < kMonitors; ++m) {
        if (static_cast<Monitor>(m) == Monitor::Cut) continue;  // nothing is cut
        EXPECT_NEAR(match->loudness_lufs[m].value() + 20 * std::log10(static_cast<double>(match->gain[m])),
                    match->loudness_lufs[0].value(), 0.01)
            << m;
    }
    EXPECT_FALSE(match->loudness_lufs[static_cast<std::size_t>(Monitor::Cut)].has_value());
    EXPECT_GT(match->gain[static_cast<std::size_t>(Monitor::Removed)], 1.2F);
    // Parts of a music that is not opened are not there to be listened to.
    match = measure_match(source, &closed, settings, 0, static_cast<std::int64_t>(source.frames()));
    ASSERT_TRUE(match.ok());
    EXPECT_FALSE(match->loudness_lufs[static_cast<std::size_t>(Monitor::Drums)].has_value());
    EXPECT_EQ(match->gain[static_cast<std::size_t>(Monitor::Drums)], 1.0F);
}

TEST(Overview, ShowsATonesLevelAndPlace) {
    const Scratch scratch;
    std::vector<float> tone(48000);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] = static_cast<float>(0.1 * std::sin(2 * M_PI * 1000.0 * static_cast<double>(i) / 48000.0));
    test::write_wav(scratch / "tone.wav", {tone}, 48000);
    auto source = Source::bring_in(scratch / "tone.wav", scratch.folder());
    ASSERT_TRUE(source.ok());
    const auto view = make_overview(*source, nullptr, 0, 480, 100);
    EXPECT_NEAR(view.highest[50], 0.1F, 1e-3F);
    const auto* column = &view.level[50 * kOverviewRows];
    const auto top = static_cast<int>(std::max_element(column, column + kOverviewRows) - column);
    EXPECT_NEAR(OverviewRows().hz(top), 1000.0, 60.0);
    EXPECT_NEAR(column[top] / 2.55 - 110.0, -20.0, 1.5);
}

}  // namespace
}  // namespace rivlen
