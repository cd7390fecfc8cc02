// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/findings.h"

#include <gtest/gtest.h>

#include <set>

#include "core/dsp/decibels.h"
#include "core/effects/processor.h"
#include "tests/support/damage.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

Evidence evidence_of(const std::vector<float>& sound) {
    return {sound, test::kRate, static_cast<double>(sound.size()) / test::kRate / 60,
            measure_speech(sound, test::kRate)};
}

void add_clicks(std::vector<float>& sound, int count, float height) {
    for (int i = 0; i < count; ++i) {
        const auto at = static_cast<std::size_t>(i + 1) * sound.size() / static_cast<std::size_t>(count + 2);
        sound[at] += height;
        sound[at + 1] -= 0.6F * height;
    }
}

TEST(Findings, EveryFaultHasAKeyALabelAndAPart) {
    std::set<std::string> keys, labels;
    for (std::size_t f = 0; f < kFaults; ++f) {
        const auto fault = static_cast<Fault>(f);
        EXPECT_TRUE(keys.insert(key_of(fault)).second);
        EXPECT_TRUE(labels.insert(label_of(fault)).second);
        int parts = 0;
        for (std::size_t kind = 0; kind < kEffectTypes; ++kind)
            parts += repairs(fault, static_cast<EffectType>(kind)) ? 1 : 0;
        EXPECT_GE(parts, fault == Fault::Reverberation ? 0 : 1) << key_of(fault);
    }
}

// What is proposed mends it: the same question asked of what comes out of the part finds nothing, or less.
TEST(Findings, WhatIsProposedMendsTheLevel) {
    for (const float gain : {0.03F, 0.06F}) {
        auto soft = test::demo_voice();
        for (float& x : soft) x *= gain;
        const auto finding = look_for_level(evidence_of(soft));
        ASSERT_TRUE(finding.found) << finding.sentence;
        ASSERT_TRUE(finding.proposal);
        const auto mended = through_chain(std::span(&*finding.proposal, 1), soft, test::kRate);
        EXPECT_FALSE(look_for_level(evidence_of(mended)).found);
    }
    EXPECT_FALSE(look_for_level(evidence_of(test::demo_voice())).found);
}

TEST(Findings, WhatIsProposedMendsClicks) {
    auto clicked = test::demo_voice();
    add_clicks(clicked, 60, 0.3F);
    const auto finding = look_for_clicks(evidence_of(clicked));
    ASSERT_TRUE(finding.found) << finding.sentence;
    const auto mended = through_chain(std::span(&*finding.proposal, 1), clicked, test::kRate);
    EXPECT_FALSE(look_for_clicks(evidence_of(mended)).found);
    EXPECT_FALSE(look_for_clicks(evidence_of(test::demo_voice())).found);
}

TEST(Findings, WhatIsProposedMendsHum) {
    auto humming = test::demo_voice();
    test::add_hum(humming, 50, 6, -36);
    const auto finding = look_for_hum(evidence_of(humming));
    ASSERT_TRUE(finding.found) << finding.sentence;
    auto mended = through_chain(std::span(&*finding.proposal, 1), humming, test::kRate);
    mended.erase(mended.begin(), mended.begin() + 4L * test::kRate);  // the part listens first
    const double before = find_hum(humming, test::kRate).level_dbfs;
    const auto after = find_hum(mended, test::kRate);
    EXPECT_TRUE(after.tones == 0 || after.clearest_db < 10 || after.level_dbfs < before - 15)
        << after.level_dbfs << " after " << before;
}

TEST(Findings, ClippingIsToldOfTheWorseChannel) {
    const std::vector<std::vector<float>> channels = {test::demo_voice(),
                                                      test::clipped(test::demo_voice(), 0.2F)};
    const auto finding = look_for_clipping(channels);
    ASSERT_TRUE(finding.found);
    EXPECT_NEAR((*finding.proposal)[parameter::kClipLevelDb], db_of_amplitude(0.2), 0.3);
    EXPECT_FALSE(look_for_clipping(std::span(channels).first(1)).found);
}

// Low-frequency gusts of a second each; the voice has none.
TEST(Findings, WindIsInTheSecondsThatHaveIt) {
    auto sound = test::demo_voice();
    const auto gust = test::noise(test::kRate, 9);
    float low = 0;
    for (const std::size_t second : {3UL, 4UL, 10UL, 11UL}) {
        for (std::size_t i = 0; i < gust.size(); ++i) {
            low += 0.004F * (gust[i] - low);  // below about 30 Hz
            sound[second * test::kRate + i] += 30.0F * low;
        }
    }
    const auto windy = windy_seconds(evidence_of(sound));
    ASSERT_GE(windy.size(), 19U);
    int hits = 0;
    for (const std::size_t second : {3UL, 4UL, 10UL, 11UL}) hits += windy[second] ? 1 : 0;
    EXPECT_GE(hits, 3);
    EXPECT_FALSE(windy[7]);
    EXPECT_FALSE(windy[16]);
    EXPECT_TRUE(look_for_wind(windy).found);
    EXPECT_FALSE(look_for_wind(windy_seconds(evidence_of(test::demo_voice()))).found);
}

// With and without the stems' levels; reverb as loud as the voice is an echoing room.
TEST(Findings, EchoIsTheReverbStemAgainstTheVoice) {
    Reverberation echo;
    const auto evidence = evidence_of(test::demo_voice());
    const auto dry = look_for_echo(evidence, StemLevels{-25, -60, -90, -90}, echo);
    EXPECT_FALSE(dry.found);
    ASSERT_TRUE(echo.drr_db);
    EXPECT_NEAR(*echo.drr_db, 35, 1e-9);
    const auto wet = look_for_echo(evidence, StemLevels{-25, -24, -90, -90}, echo);
    EXPECT_TRUE(wet.found) << wet.sentence;
    EXPECT_NEAR(*echo.drr_db, -1, 1e-9);
    EXPECT_FALSE(wet.proposal);  // the stem is turned down instead
    EXPECT_FALSE(look_for_echo(evidence, {}, echo).proposal);
    EXPECT_FALSE(echo.drr_db);
}

}  // namespace
}  // namespace rivlen
