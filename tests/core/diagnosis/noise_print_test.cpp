// SPDX-License-Identifier: GPL-3.0-or-later
// Noise prints of noise whose spectrum follows from the filter that made it.
#include "core/diagnosis/noise_print.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/effects/noise_shape.h"
#include "core/effects/processor.h"
#include "core/mix/look.h"
#include "core/project/editing.h"
#include "core/project/timeline_json.h"
#include "learn/metrics/si_sdr.h"
#include "tests/support/damage.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr int kPrintRate = 48000;
constexpr double kDensityDb = -120;  // power / Hz of the white noise

// White noise of kDensityDb through a bell at 800 Hz: a fan.
Biquad fan_filter(double hz = 800) {
    return Biquad::peaking(kPrintRate, hz, 2, 18);
}
std::vector<float> fan(double seconds, unsigned seed, double hz = 800) {
    std::mt19937 random(seed);
    std::normal_distribution<float> normal(
        0, static_cast<float>(amplitude_of_db(kDensityDb + db_of_power(kPrintRate / 2.0))));
    std::vector<float> out(static_cast<std::size_t>(seconds * kPrintRate));
    for (float& x : out) x = normal(random);
    BiquadFilter(fan_filter(hz)).process(out);
    return out;
}
AudioBlock mono(std::vector<float> samples, int rate = kPrintRate) {
    return {rate, std::vector<std::vector<float>>{std::move(samples)}};
}
double density_db(const NoisePrint& print, double hz) {
    const double third_octave = 4000 * (std::exp2(1.0 / 6) - std::exp2(-1.0 / 6));
    return print.third_octave_dbfs - db_of_power(third_octave) + print.tilt_db * std::log2(hz / 4000) +
           noise_shape_db(print.shape_db, hz);
}

TEST(NoisePrint, IsTheSpectrumOfWhatIsLearned) {
    const AudioBlock sound(kPrintRate, {fan(4, 1), fan(4, 2)});
    const auto print = learn_noise_print(sound);
    ASSERT_TRUE(print);
    for (const double hz : {150.0, 400.0, 800.0, 1500.0, 4000.0, 12000.0})
        EXPECT_NEAR(density_db(*print, hz),
                    kDensityDb + db_of_amplitude(fan_filter().magnitude(kPrintRate, hz)), 1.2)
            << hz;
}

// Under words of the demo's voice, whose pauses hold nothing but the fan: found by itself.
TEST(NoisePrint, IsFoundInThePauses) {
    auto voice = test::demo_voice();
    const auto noise = fan(static_cast<double>(voice.size()) / kPrintRate + 1, 3);
    for (std::size_t i = 0; i < voice.size(); ++i) voice[i] += noise[i];
    const auto print = find_noise_print(mono(voice));
    ASSERT_TRUE(print);
    for (const double hz : {800.0, 1500.0, 4000.0, 12000.0})
        EXPECT_NEAR(density_db(*print, hz),
                    kDensityDb + db_of_amplitude(fan_filter().magnitude(kPrintRate, hz)), 3)
            << hz;
}

TEST(NoisePrint, IsNoneOfSilence) {
    EXPECT_FALSE(learn_noise_print(AudioBlock(kPrintRate, 1, kPrintRate)));
    EXPECT_FALSE(find_noise_print(AudioBlock(kPrintRate, 1, kPrintRate)));
    EXPECT_FALSE(learn_noise_print(mono(fan(0.05, 4))));
    EXPECT_TRUE(learn_noise_print(mono(fan(0.1, 4))));  // shorter than two windows
    EXPECT_FALSE(find_noise_print(mono(fan(0.05, 4))));
    EXPECT_TRUE(learn_noise_print(mono(test::noise(8000, 1), 8000)));
}

// With the print a fan is taken out better than with the straight line that fits it best.
TEST(NoisePrint, TakesOutMoreThanALine) {
    auto noisy = test::demo_voice();
    auto noise = fan(static_cast<double>(noisy.size()) / kPrintRate + 1, 5, 3000);
    for (float& x : noise) x *= 30;
    for (std::size_t i = 0; i < noisy.size(); ++i) noisy[i] += noise[i];
    const auto print = learn_noise_print(mono(noise));
    ASSERT_TRUE(print);
    auto part = make_part(EffectType::Hiss, 1);
    part[parameter::kHissMaxReductionDb] = -24;
    put_into(*print, part);
    auto line = part;
    line.noise_shape_db.clear();
    const auto through = [](const Insert& by, const std::vector<float>& x) {
        return through_chain(std::span(&by, 1), x, kPrintRate);
    };
    const auto left_db = [&](const Insert& by) {
        return db_of_power(energy_of(through(by, noise)) / energy_of(noise));
    };
    EXPECT_LT(left_db(part), -20);
    EXPECT_GT(left_db(line), -6);
    EXPECT_GT(si_sdr_db(through(part, noisy), test::demo_voice()), si_sdr_db(noisy, test::demo_voice()) + 6);
    EXPECT_GT(si_sdr_db(through(part, noisy), test::demo_voice()),
              si_sdr_db(through(line, noisy), test::demo_voice()) + 3);
}

TEST(NoisePrint, IsKeptInFiles) {
    auto part = make_part(EffectType::Hiss, 3);
    put_into(*learn_noise_print(mono(fan(1, 6))), part);
    const std::vector<Insert> chain = {part, make_part(EffectType::Gain, 4)};
    EXPECT_EQ(chain_from_json(nlohmann::json::parse(chain_to_json(chain).dump())), chain);
    auto json = chain_to_json(chain);
    json[0]["noise_shape_db"] = {1, "x", 1e300};  // of no use: dropped
    EXPECT_TRUE(chain_from_json(json)[0].noise_shape_db.empty());
    json[0]["noise_shape_db"] = std::vector<double>(kNoisePlaces, 1e300);
    EXPECT_LE(chain_from_json(json)[0].noise_shape_db[0], static_cast<float>(kMostShapeDb));
    json[1]["noise_shape_db"] = part.noise_shape_db;  // a level has none
    EXPECT_TRUE(chain_from_json(json)[1].noise_shape_db.empty());
}

// On a track: the noise as it reaches the part, behind a gain of -6 dB, from the loop or from the pauses.
TEST(NoisePrint, IsThatWhichReachesThePart) {
    const test::Scratch scratch;
    const auto noise = fan(4, 7);
    test::write_wav(scratch / "fan.wav", {noise, noise}, kPrintRate);
    auto source = Source::bring_in(scratch / "fan.wav", scratch / "work");
    ASSERT_TRUE(source.ok());
    Session session;
    session.timeline.sample_rate = kPrintRate;
    Placement placement;
    placement.path = scratch / "fan.wav";
    placement.length = 4 * kPrintRate;
    place_clip(session.timeline, placement, ClipSource::Whole, 0);
    auto gain = make_part(EffectType::Gain, 1);
    gain[parameter::kGainDb] = -6;
    session.timeline.tracks[0].strip.chain = {gain, make_part(EffectType::Hiss, 2)};
    MixMediaSet media;
    media[placement.path] = {std::make_shared<const Source>(std::move(*source)), nullptr, kPrintRate};
    const MixPlan plan(session, media);
    for (const auto& alone :
         {std::optional<LoopRange>({kPrintRate, 2 * kPrintRate}), std::optional<LoopRange>()}) {
        const auto print = noise_before_part(plan, 0, 2, alone);
        ASSERT_TRUE(print.ok());
        EXPECT_NEAR(density_db(*print, 4000),
                    kDensityDb - 6 + db_of_amplitude(fan_filter().magnitude(kPrintRate, 4000)), 1.5);
    }
    const auto none = noise_before_part(plan, 0, 2, LoopRange{10 * kPrintRate, 11 * kPrintRate});
    ASSERT_FALSE(none.ok());
    EXPECT_NE(none.error().message.find("Set the loop"), std::string::npos);
}

}  // namespace
}  // namespace rivlen
