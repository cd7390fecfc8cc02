// SPDX-License-Identifier: GPL-3.0-or-later
// Levels that may be missing: what silence is, and what is said and written of it.
#include "core/metering/level.h"

#include <gtest/gtest.h>
#include <sndfile.h>

#include "core/delivery/written_sound.h"
#include "core/metering/loudness.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::kRate;

TEST(Levels, AMissingOneIsLowerThanAll) {
    EXPECT_EQ(higher({}, {}), Level());
    EXPECT_EQ(higher(-300.0, {}), Level(-300.0));
    EXPECT_EQ(higher({}, -20.0), Level(-20.0));
    EXPECT_EQ(higher(-20.0, -10.0), Level(-10.0));
    EXPECT_EQ(raised({}, 6), Level());
    EXPECT_EQ(raised(-20.0, 6), Level(-14.0));
}

TEST(Levels, AreSaidAndWritten) {
    EXPECT_EQ(level_words(-23.04, "LUFS"), "-23.0 LUFS");
    EXPECT_EQ(level_words({}, "LUFS"), "silent");
    EXPECT_EQ(level_json(-23.046).dump(), "-23.05");
    EXPECT_TRUE(level_json({}).is_null());
}

TEST(Levels, SilenceHasNone) {
    LoudnessMeter meter(kRate, 2);
    meter.add(test::Channels(2, std::vector<float>(4 * kRate, 0.0F)));
    const Loudness silence = meter.result();
    EXPECT_FALSE(silence.integrated_lufs || silence.sample_peak_dbfs || silence.true_peak_dbtp);
    EXPECT_FALSE(meter.momentary_lufs() || meter.short_term_lufs());
    // Under the absolute gate of -70 LUFS (ITU-R BS.1770-4, annex 1) there is a peak, and still no loudness.
    LoudnessMeter faint(kRate, 1);
    std::vector<float> noise = test::noise(4 * kRate, 1);
    for (float& x : noise) x *= 1e-4F;
    faint.add(test::Channels{noise});
    EXPECT_FALSE(faint.result().integrated_lufs);
    EXPECT_TRUE(faint.result().sample_peak_dbfs);
    EXPECT_TRUE(faint.momentary_lufs());
}

// EBU Tech 3285 version 2 (2011): fields of loudness that were not measured hold 7FFFh; read back by
// libsndfile.
TEST(Levels, WhatWasNotMeasuredIsSoInBroadcastWave) {
    const test::Scratch scratch;
    auto sound = ScratchSound::create(scratch.folder(), kRate, 1);
    ASSERT_TRUE(sound.ok()) << sound.error().message;
    ASSERT_TRUE(sound->append(test::Channels{std::vector<float>(kRate, 0.0F)}).ok());
    for (const bool measured : {false, true}) {
        SoundDescription description;
        description.date = "2026-11-26";
        description.time = "12:00:00";
        if (measured) description.integrated_lufs = -23.0;
        const auto path = scratch / (measured ? "measured.wav" : "silent.wav");
        ASSERT_TRUE(write_sound(*sound, Container::Wav, Depth::Pcm24, description, path, false, {}).ok());
        SF_INFO info{};
        SNDFILE* file = sf_open(path.c_str(), SFM_READ, &info);
        ASSERT_NE(file, nullptr);
        SF_BROADCAST_INFO broadcast{};
        EXPECT_EQ(sf_command(file, SFC_GET_BROADCAST_INFO, &broadcast, sizeof broadcast), SF_TRUE);
        sf_close(file);
        EXPECT_EQ(broadcast.loudness_value, measured ? -2300 : 0x7FFF);
        EXPECT_EQ(broadcast.max_true_peak_level, 0x7FFF);
        EXPECT_EQ(broadcast.max_momentary_loudness, 0x7FFF);
    }
}

}  // namespace
}  // namespace rivlen
