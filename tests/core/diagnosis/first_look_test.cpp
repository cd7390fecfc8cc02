// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/first_look.h"

#include <gtest/gtest.h>

#include "core/dsp/decibels.h"
#include "core/mix/look.h"
#include "core/project/editing.h"
#include "tests/support/damage.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

Finding look_for(Fault fault, const std::vector<float>& sound) {
    return look_at(std::span(&sound, 1), test::kRate).findings[static_cast<std::size_t>(fault)];
}

TEST(FirstLook, ProposesNothingOnACleanVoice) {
    const auto look = look_at(std::span(&test::demo_voice(), 1), test::kRate);
    EXPECT_EQ(look.material, Material::Voice);
    ASSERT_EQ(look.findings.size(), kFaults);
    for (std::size_t f = 0; f < kFaults; ++f) {
        EXPECT_EQ(look.findings[f].fault, static_cast<Fault>(f));
        EXPECT_FALSE(look.findings[f].found) << look.findings[f].sentence;
        EXPECT_FALSE(look.findings[f].sentence.empty());
    }
    EXPECT_TRUE(look.chain(1).empty());
}

TEST(FirstLook, TellsTheFigureThatLedToAProposal) {
    auto humming = test::demo_voice();
    test::add_hum(humming, 50, 6, -40);
    const auto hum = look_for(Fault::Hum, humming);
    ASSERT_TRUE(hum.found) << hum.sentence;
    EXPECT_NE(hum.sentence.find("50.0"), std::string::npos) << hum.sentence;
    EXPECT_NEAR((*hum.proposal)[parameter::kHumHz], 50, 0.05);

    const auto cut = look_for(Fault::Clipping, test::clipped(test::demo_voice(), 0.25F));
    ASSERT_TRUE(cut.found) << cut.sentence;
    EXPECT_NEAR((*cut.proposal)[parameter::kClipLevelDb], db_of_amplitude(0.25), 0.3);

    auto soft = test::demo_voice();
    for (float& x : soft) x *= 0.05F;
    const auto level = look_for(Fault::Level, soft);
    ASSERT_TRUE(level.found);
    EXPECT_GT((*level.proposal)[parameter::kGainDb], 10);
}

// Nothing, a tenth of a second, and silence are looked at without a proposal.
TEST(FirstLook, SaysSoWhenThereIsNothingToTell) {
    for (const std::size_t frames : {0UL, 4800UL, 96000UL}) {
        const std::vector<float> silence(frames);
        const auto look = look_at(std::span(&silence, 1), test::kRate);
        EXPECT_EQ(look.material, Material::Silence);
        EXPECT_TRUE(look.chain(1).empty());
    }
    const auto look = look_at({}, test::kRate);
    EXPECT_EQ(look.findings.size(), kFaults);
    // Short, odd and hostile sounds: finite sentences, no crash.
    for (const int rate : {8000, 22050, 192000}) {
        auto x = test::noise(rate / 2, 1);
        x[10] = 1e5F;
        EXPECT_EQ(look_at(std::span(&x, 1), rate).findings.size(), kFaults);
        const std::vector<float> dc(static_cast<std::size_t>(rate), 0.5F);
        EXPECT_EQ(look_at(std::span(&dc, 1), rate).findings.size(), kFaults);
    }
}

TEST(FirstLook, StemsTellTheKind) {
    const auto kind = [](StemLevels levels) {
        return look_at(std::span(&test::demo_voice(), 1), test::kRate, levels).material;
    };
    EXPECT_EQ(kind({-25, -60, -30, -70}), Material::VoiceOverMusic);
    EXPECT_EQ(kind({-25, -60, -70, -30}), Material::BusyPlace);
    EXPECT_EQ(kind({-60, -70, -20, -60}), Material::Music);
    EXPECT_EQ(kind({-25, -26, -70, -70}), Material::EchoingRoom);
    EXPECT_EQ(kind({-25, -60, -70, -70}), Material::Voice);
}

// What is not ticked goes in switched off and keeps its values; what the user has built is left alone.
TEST(FirstLook, ProposalsGoInFrontOfTheChain) {
    auto damaged = test::demo_voice();
    test::add_hum(damaged, 50, 6, -40);
    for (float& x : damaged) x *= 0.05F;
    const auto look = look_at(std::span(&damaged, 1), test::kRate);
    ASSERT_EQ(look.chain(1).size(), 2U);
    std::vector<Insert> chain = {make_part(EffectType::Compressor, 7)};
    int id = 10;
    const std::array taken = {Fault::Hum};
    look.put_into(chain, taken, [&id] { return ++id; });
    ASSERT_EQ(chain.size(), 3U);
    EXPECT_EQ(chain[0].kind, EffectType::Hum);
    EXPECT_TRUE(chain[0].on);
    EXPECT_EQ(chain[1].kind, EffectType::Gain);
    EXPECT_FALSE(chain[1].on);
    EXPECT_GT(chain[1].values[0], 0);
    EXPECT_EQ(chain[2].id, 7);
    // Again: the hum part gets the values where it stands, the gain is the user's by now.
    chain[0][parameter::kHumHz] = 60;
    chain[1].values[0] = 3;
    look.put_into(chain, {}, [&id] { return ++id; });
    ASSERT_EQ(chain.size(), 3U);
    EXPECT_NEAR(chain[0][parameter::kHumHz], 50, 0.05);
    EXPECT_FALSE(chain[0].on);
    EXPECT_EQ(chain[1].values[0], 3);
}

TEST(FirstLook, LooksAtWhatATrackPlays) {
    const test::Scratch scratch;
    auto damaged = test::demo_voice();
    test::add_hum(damaged, 50, 6, -40);
    test::write_wav(scratch / "take.wav", {damaged}, test::kRate);
    auto source = Source::bring_in(scratch / "take.wav", scratch.folder());
    ASSERT_TRUE(source.ok());
    Session session;
    session.timeline.sample_rate = test::kRate;
    const int track = add_track(session.timeline, "Take");
    Placement placement;
    placement.path = "take.wav";
    placement.length = static_cast<std::int64_t>(source->frames());
    place_clip(session.timeline, placement, ClipSource::Whole, track);
    MixMediaSet media;
    media["take.wav"] = {std::make_shared<const Source>(std::move(*source)), nullptr, test::kRate};
    const MixPlan plan(session, media);
    const auto look = look_at_track(plan, 0);
    ASSERT_TRUE(look.ok());
    EXPECT_TRUE(look->look.findings[static_cast<std::size_t>(Fault::Hum)].found);
    add_track(session.timeline, "Empty");
    const MixPlan with_empty(session, media);
    const auto nothing = look_at_track(with_empty, 1);
    ASSERT_FALSE(nothing.ok());
    EXPECT_NE(nothing.error().message.find("Empty"), std::string::npos);
}

}  // namespace
}  // namespace rivlen
