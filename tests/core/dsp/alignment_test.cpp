// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/alignment.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/dsp/biquad.h"
#include "core/mix/aligning.h"
#include "core/project/editing.h"
#include "tests/support/damage.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

// As another microphone has it: quieter, with less bass, and its own noise.
std::vector<float> elsewhere(std::span<const float> sound, unsigned seed, float noise_gain) {
    std::vector<float> out(sound.begin(), sound.end());
    BiquadFilter bass(Biquad::high_pass(test::kRate, 300, 0.7071));
    bass.process(out);
    const auto noise = test::noise(out.size(), seed);
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = 0.3F * out[i] + noise_gain * noise[i];
    return out;
}

TEST(Align, FindsTheSamplesOfACopy) {
    const auto& voice = test::demo_voice();
    for (const std::size_t at : {0UL, 12345UL, 300001UL}) {
        const auto piece = std::span(voice).subspan(at, 6 * test::kRate);
        const auto found = align(voice, piece, test::kRate);
        ASSERT_TRUE(found);
        EXPECT_EQ(found->lag_frames, static_cast<std::int64_t>(at));
        EXPECT_GT(found->distinctness, 3);
        // The other way round: the reference begins within the other.
        const auto back = align(piece, voice, test::kRate);
        ASSERT_TRUE(back);
        EXPECT_EQ(back->lag_frames, -static_cast<std::int64_t>(at));
    }
}

TEST(Align, HoldsForAnotherMicrophoneWithItsPolarityTurned) {
    const auto& voice = test::demo_voice();
    const auto here = elsewhere(voice, 1, 0.002F);
    auto there = elsewhere(std::span(voice).subspan(77777, 8 * test::kRate), 2, 0.005F);
    for (float& x : there) x = -x;
    const auto found = align(here, there, test::kRate);
    ASSERT_TRUE(found);
    EXPECT_NEAR(static_cast<double>(found->lag_frames), 77777, 1);
    EXPECT_GT(found->distinctness, kDistinct);
}

// A clap in the noise of two places, and nothing else that they share.
TEST(Align, FindsAClap) {
    auto here = test::noise(10 * test::kRate, 3);
    auto there = test::noise(5 * test::kRate, 4);
    for (auto* place : {&here, &there}) {
        for (float& x : *place) x *= 0.02F;
    }
    const auto clap = test::noise(test::kRate / 50, 5);
    for (std::size_t i = 0; i < clap.size(); ++i) {
        const float fall = std::exp(-static_cast<float>(i) / 200.0F);
        here[4 * test::kRate + i] += 6 * fall * clap[i];
        there[test::kRate + 100 + i] += 4 * fall * clap[i];
    }
    const auto found = align(here, there, test::kRate);
    ASSERT_TRUE(found);
    EXPECT_EQ(found->lag_frames, 3 * test::kRate - 100);
}

TEST(Align, OfUnlikeSoundsNothingIsDistinct) {
    for (unsigned seed = 0; seed < 20; ++seed) {
        const auto found = align(test::noise(test::kRate, 100 + seed),
                                 test::noise(test::kRate / 2, 200 + seed), test::kRate);
        ASSERT_TRUE(found);
        EXPECT_LT(found->distinctness, 1.5) << seed;
    }
    const std::vector<float> silence(1000);
    EXPECT_FALSE(align(silence, test::noise(1000, 1), test::kRate));
    EXPECT_FALSE(align({}, {}, test::kRate));
}

// Two clips of two recordings: the second goes where its words are in the first.
TEST(Align, MovesAClipOntoTheSameWords) {
    const test::Scratch scratch;
    const auto& voice = test::demo_voice();
    MixMediaSet media;
    const auto bring = [&](const char* name, std::span<const float> sound, unsigned seed) {
        const auto file = scratch / (std::string(name) + ".wav");
        test::write_wav(file, {elsewhere(sound, seed, 0.002F)}, test::kRate);
        auto source = Source::bring_in(file, scratch.folder());
        ASSERT_TRUE(source.ok());
        media[name] = {std::make_shared<const Source>(std::move(*source)), nullptr, test::kRate};
    };
    bring("boom", voice, 1);
    bring("lapel", std::span(voice).subspan(5 * test::kRate), 2);
    Session session;
    Timeline& t = session.timeline;
    t.sample_rate = test::kRate;
    const int boom = place_clip(t, {"boom", 1000, 18 * test::kRate, false, false, ""}, ClipSource::Whole, 0);
    const int lapel = place_clip(t, {"lapel", 0, 12 * test::kRate, false, false, ""}, ClipSource::Whole, 0);
    trim_start(t, lapel, test::kRate);  // what the clip plays counts, and where
    const auto by = offset_to_align(MixPlan(session, media), boom, lapel);
    ASSERT_TRUE(by) << by.error().message;
    move_clips(t, std::array{lapel}, *by);
    EXPECT_NEAR(static_cast<double>(t.clip(lapel)->start), 1000 + 6.0 * test::kRate, 1);
    EXPECT_NEAR(static_cast<double>(*offset_to_align(MixPlan(session, media), boom, lapel)), 0, 1);
    EXPECT_EQ(offset_to_align(MixPlan(session, media), boom, 999).error().kind, ErrorKind::NotFound);
}

}  // namespace
}  // namespace rivlen
