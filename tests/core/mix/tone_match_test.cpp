// SPDX-License-Identifier: GPL-3.0-or-later
// A take whose tone was bent by a known equaliser is bent back.
#include "core/mix/tone_match.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/effects/equaliser.h"
#include "core/effects/processor.h"
#include "core/project/editing.h"
#include "tests/support/damage.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr int kTakeRate = 48000;

// A thin, boxy microphone.
Insert bent() {
    auto part = make_part(EffectType::Equaliser, 1);
    part[parameter::eq_gain_db(0)] = -7;
    part[parameter::eq_gain_db(1)] = 6;
    part[parameter::eq_hz(1)] = 500;
    part[parameter::eq_gain_db(4)] = -8;
    part[parameter::eq_hz(4)] = 5000;
    return part;
}

double roughness_db(const Tone& a, const Tone& b) {
    double sum = 0;
    for (std::size_t k = 0; k < kToneBands; ++k) sum += (a[k] - b[k]) * (a[k] - b[k]);
    return std::sqrt(sum / kToneBands);
}

TEST(ToneMatch, BandsAreThirdOctaves) {
    EXPECT_NEAR(tone_band_hz(0), 79.4, 0.1);
    EXPECT_NEAR(tone_band_hz(11), 1000, 1e-6);
    EXPECT_NEAR(tone_band_hz(kToneBands - 1), 12589, 1);
}

// White noise rises by 1 dB a third octave, its bands being wider by 10^0.1.
TEST(ToneMatch, WhiteNoiseRisesByADecibelAThird) {
    const auto tone = tone_of(test::noise(std::size_t{8} * kTakeRate, 3), kTakeRate);
    ASSERT_TRUE(tone);
    for (std::size_t b = 4; b + 1 < kToneBands; ++b) EXPECT_NEAR((*tone)[b + 1] - (*tone)[b], 1, 0.9) << b;
    EXPECT_NEAR((*tone)[20] - (*tone)[10], 10, 0.5);
}

TEST(ToneMatch, BendsBackWhatWasBent) {
    const auto& voice = test::demo_voice();
    const Insert mic = bent();
    const auto thin = through_chain(std::span(&mic, 1), voice, kTakeRate);
    const auto want = tone_of(voice, kTakeRate), have = tone_of(thin, kTakeRate);
    ASSERT_TRUE(want && have);
    const Insert mend = matching_equaliser(*have, *want, kTakeRate);
    const auto mended = tone_of(through_chain(std::span(&mend, 1), thin, kTakeRate), kTakeRate);
    ASSERT_TRUE(mended);
    EXPECT_GT(roughness_db(*have, *want), 3.5);
    EXPECT_LT(roughness_db(*mended, *want), 0.8);
    // Nothing to be bent: nothing is.
    const Insert none = matching_equaliser(*want, *want, kTakeRate);
    for (std::size_t band = 0; band < parameter::kEqBands; ++band)
        EXPECT_NEAR(none[parameter::eq_gain_db(band)], 0, 0.11) << band;
}

TEST(ToneMatch, OfClips) {
    const test::Scratch scratch;
    const auto& voice = test::demo_voice();
    const Insert mic = bent();
    test::write_wav(scratch / "near.wav", {voice}, kTakeRate);
    test::write_wav(scratch / "far.wav", {through_chain(std::span(&mic, 1), voice, kTakeRate)}, kTakeRate);
    Session session;
    session.timeline.sample_rate = kTakeRate;
    MixMediaSet media;
    std::vector<int> clips;
    for (const char* name : {"near.wav", "far.wav"}) {
        auto source = Source::bring_in(scratch / name, scratch / "work");
        ASSERT_TRUE(source.ok());
        Placement placement;
        placement.path = scratch / name;
        placement.length = static_cast<std::int64_t>(source->frames());
        clips.push_back(place_clip(session.timeline, placement, ClipSource::Whole, 0));
        media[placement.path] = {std::make_shared<const Source>(std::move(*source)), nullptr, kTakeRate};
    }
    const auto mend = match_tone(MixPlan(session, media), clips[0], clips[1]);
    ASSERT_TRUE(mend.ok());
    const auto back = [&](double hz) {
        return db_of_amplitude(
            Equaliser::magnitude(kTakeRate, ParameterBlock<EffectType::Equaliser>(mend->values), hz));
    };
    EXPECT_GT(back(80) - back(500), 7);
    EXPECT_GT(back(10000) - back(500), 9);
    session.timeline.clip(clips[1])->length = kTakeRate / 10;
    EXPECT_FALSE(match_tone(MixPlan(session, media), clips[0], clips[1]).ok());
    EXPECT_FALSE(match_tone(MixPlan(session, media), clips[0], 999).ok());
}

}  // namespace
}  // namespace rivlen
