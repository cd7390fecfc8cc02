// SPDX-License-Identifier: GPL-3.0-or-later
// The delay of a loop is found to the sample, with the colour and the noise of a microphone before a
// loudspeaker.
#include "core/workflow/recording_delay.h"

#include <gtest/gtest.h>

#include "core/dsp/biquad.h"
#include "core/mix/engine.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

std::vector<float> looped(int rate, std::size_t late, float gain, float noise_gain) {
    const auto signal = loop_back_signal(rate);
    const auto noise = test::noise(signal.size(), 5);
    std::vector<float> back(signal.size(), 0.0F);
    for (std::size_t i = late; i < back.size(); ++i) back[i] = gain * signal[i - late];
    for (std::size_t i = 0; i < back.size(); ++i) back[i] += noise_gain * noise[i];
    return back;
}

TEST(RecordingDelay, IsFoundToTheSample) {
    for (const int rate : {44100, 48000, 96000}) {
        for (const std::size_t late :
             {std::size_t{0}, std::size_t{1}, std::size_t{777}, static_cast<std::size_t>(0.9 * rate)}) {
            const auto found = recording_delay(looped(rate, late, -0.2F, 0.002F), rate);
            ASSERT_TRUE(found.ok()) << rate << " " << late;
            EXPECT_EQ(*found, static_cast<std::int64_t>(late)) << rate;
        }
    }
}

// Through a small loudspeaker: no lows, a hump.
TEST(RecordingDelay, OfALoudspeakerInARoom) {
    auto back = looped(48000, 2500, 0.1F, 0.003F);
    BiquadFilter(Biquad::high_pass(48000, 400, 0.7)).process(back);
    BiquadFilter(Biquad::peaking(48000, 2500, 2, 9)).process(back);
    for (std::size_t i = back.size(); i-- > 400;) back[i] += 0.3F * back[i - 400];  // a wall
    const auto found = recording_delay(back, 48000);
    ASSERT_TRUE(found.ok());
    EXPECT_NEAR(static_cast<double>(*found), 2500, 12);  // the filters' own delay
}

TEST(RecordingDelay, SaysWhenNothingCameBack) {
    const auto silent = recording_delay(std::vector<float>(48000, 0.0F), 48000);
    ASSERT_FALSE(silent.ok());
    EXPECT_NE(silent.error().message.find("Connect"), std::string::npos);
    EXPECT_FALSE(recording_delay(test::noise(96000, 2), 48000).ok());
}

// A perfect loop: what the session plays is the signal itself, with no frame before it.
TEST(RecordingDelay, TheSessionPlaysTheSignalFromItsFirstFrame) {
    const test::Scratch folder;
    for (const int rate : {44100, 48000}) {
        const auto signal = loop_back_signal(rate);
        const auto plan = loop_back_plan(folder / "not yet made", rate);
        ASSERT_TRUE(plan.ok());
        std::vector<float> played;
        const auto end = static_cast<std::int64_t>(signal.size());
        const Status status = render_mix(*plan, 0, end, {}, [&](std::int64_t, const AudioBlock& block) {
            played.insert(played.end(), block[0].begin(), block[0].end());
            return Status{};
        });
        ASSERT_TRUE(status.ok());
        ASSERT_EQ(played.size(), signal.size());
        float furthest = 0;
        for (std::size_t i = 0; i < played.size(); ++i)
            furthest = std::max(furthest, std::abs(played[i] - signal[i]));
        EXPECT_LT(furthest, 1e-4F) << rate;
        const auto delay = recording_delay(played, rate);
        ASSERT_TRUE(delay.ok());
        EXPECT_EQ(*delay, 0) << rate;
    }
}

TEST(RecordingDelay, SaysWhereTheTestSoundCannotBeWritten) {
    const test::Scratch folder;
    test::write_wav(folder / "a file", {{0.0F}}, 48000);
    EXPECT_FALSE(loop_back_plan(folder / "a file", 48000).ok());
}

}  // namespace
}  // namespace rivlen
