// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs on known damage, on clean speech, and as parts of chains; the first look.
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <numbers>
#include <random>

#include "core/diagnosis/evidence.h"
#include "core/diagnosis/first_look.h"
#include "core/diagnosis/stretches.h"
#include "core/dsp/decibels.h"
#include "core/dsp/linear_prediction.h"
#include "core/effects/curves.h"
#include "core/effects/hum.h"
#include "core/effects/plosives.h"
#include "core/effects/processor.h"
#include "core/effects/tap.h"
#include "core/mix/look.h"
#include "core/project/editing.h"
#include "learn/metrics/si_sdr.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;
using test::kRate;
constexpr double kTurn = 2 * std::numbers::pi;

// The demo's voice, which none of the thresholds was set on.
const std::vector<float>& voice() {
    static const std::vector<float> sound = [] {
        const test::Scratch scratch;
        const auto source = Source::bring_in(std::filesystem::path(RIVLEN_ROOT) / "demo/parts/dialogue.flac",
                                             scratch.folder());
        std::vector<float> out(20 * kRate);
        if (source.ok()) source->read(0, 0, out);
        return out;
    }();
    return sound;
}

std::vector<float> through(const Insert& part, const std::vector<float>& sound, int rate = kRate) {
    return through_chain(std::span(&part, 1), sound, rate);
}

double change_db(const std::vector<float>& clean, const std::vector<float>& changed) {
    double sum = 0;
    for (std::size_t i = 0; i < clean.size(); ++i) {
        const double d = static_cast<double>(changed[i]) - static_cast<double>(clean[i]);
        sum += d * d;
    }
    return db_of_power(sum / energy_of(clean));
}

void add_hum(std::vector<float>& x, double hz, int tones, double level_dbfs) {
    for (std::size_t i = 0; i < x.size(); ++i) {
        for (int k = 1; k <= tones; ++k)
            x[i] += static_cast<float>(amplitude_of_db(level_dbfs) / k *
                                       std::sin(kTurn * k * hz * static_cast<double>(i) / kRate + k));
    }
}

std::vector<float> clipped(std::vector<float> x, float level) {
    for (float& v : x) v = std::clamp(v, -level, level);
    return x;
}

std::vector<Insert> all_repairs() {
    std::vector<Insert> out;
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        if (is_repair(static_cast<EffectType>(k)))
            out.push_back(make_part(static_cast<EffectType>(k), static_cast<int>(k) + 1));
    }
    return out;
}

// The bound: clean speech in, an error under -50 dB.
TEST(Repair, CleanSpeechStaysAsItIs) {
    ASSERT_GT(energy_of(voice()), 0);
    for (const auto& part : all_repairs())
        EXPECT_LT(change_db(voice(), through(part, voice())), -50) << info(part.kind).key;
}

TEST(Repair, SilenceAndNoiseComeThroughFinite) {
    for (const auto& part : all_repairs()) {
        for (const int rate : {8000, 44100, 192000}) {
            const std::vector<float> silence(30000);
            EXPECT_EQ(through(part, silence, rate), silence) << info(part.kind).key;
            auto loud = test::noise(30000, 3);
            for (float& x : loud) x *= 20;
            loud[15000] = 1e6F;
            for (const float x : through(part, loud, rate))
                ASSERT_TRUE(std::isfinite(x)) << info(part.kind).key;
        }
    }
}

// Janssen's worked case in kind: a signal that is autoregressive indeed, with a stretch of it missing, comes
// back nearly as it was when the process is strongly predictable.
TEST(Repair, MissingSamplesOfAPredictableSignalComeBack) {
    std::vector<float> x(4000);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const auto t = static_cast<double>(i);
        x[i] = static_cast<float>(0.4 * std::sin(0.11 * t) + 0.3 * std::sin(0.37 * t + 1) +
                                  0.1 * std::sin(0.9 * t));
    }
    const auto noise = test::noise(x.size(), 5);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += 0.01F * noise[i];
    auto damaged = x;
    std::vector<std::size_t> missing;
    for (std::size_t i = 2000; i < 2040; ++i) {
        missing.push_back(i);
        damaged[i] = 0;
    }
    LinearPredictor predictor(32, x.size());
    ASSERT_TRUE(predictor.fit(x));
    ArInterpolator interpolator(32, 200);
    ASSERT_TRUE(interpolator.fill(predictor.coefficients(), missing, damaged));
    EXPECT_GT(si_sdr_db(std::span(damaged).subspan(2000, 40), std::span(x).subspan(2000, 40)), 25);
}

TEST(Repair, ClippedPeaksAreRebuilt) {
    const float level = 0.2F;
    auto part = make_part(EffectType::Clipping, 1);
    part[parameter::kClipLevelDb] = db_of_amplitude(static_cast<double>(level)) - 0.02;
    // A held chord is predictable, and comes back nearly whole.
    std::vector<float> chord(4 * kRate);
    for (std::size_t i = 0; i < chord.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        for (const double hz : {784.0, 987.8, 1174.7, 1568.0, 2349.3})
            chord[i] += static_cast<float>(0.08 * std::sin(kTurn * hz * t + hz));
    }
    EXPECT_GT(si_sdr_db(through(part, clipped(chord, level)), chord),
              si_sdr_db(clipped(chord, level), chord) + 10);
    // A synthetic voice is excited right at its peaks, which is the hardest case for prediction.
    const auto damaged = clipped(voice(), level);
    const auto normalised = through(part, damaged);
    EXPECT_GT(si_sdr_db(normalised, voice()), si_sdr_db(damaged, voice()) + 0.7);
    // Only what was cut off is touched.
    for (std::size_t i = 0; i < damaged.size(); ++i) {
        if (std::abs(damaged[i]) < 0.9F * level) {
            ASSERT_NEAR(normalised[i], damaged[i], 1e-6F) << i;
        }
    }
}

TEST(Repair, ClicksGoAndTheRestStays) {
    auto damaged = voice();
    std::vector<std::size_t> places;
    const auto grain = test::noise(20, 9);
    for (std::size_t at = kRate; at + kRate / 2 < damaged.size(); at += kRate / 2 + 1237) {
        for (std::size_t i = 0; i < 20; ++i) damaged[at + i] += 4 * grain[i];
        places.push_back(at);
    }
    const auto normalised = through(make_part(EffectType::Clicks, 1), damaged);
    EXPECT_GT(si_sdr_db(normalised, voice()), si_sdr_db(damaged, voice()) + 10);
    // Away from the clicks nothing changes.
    std::size_t next = 0;
    std::size_t changed = 0;
    for (std::size_t i = 0; i < damaged.size(); ++i) {
        while (next < places.size() && places[next] + 500 < i) ++next;
        const bool near = next < places.size() && i + 500 > places[next];
        if (!near && std::abs(normalised[i] - damaged[i]) > 1e-6F) ++changed;
    }
    EXPECT_LT(changed, damaged.size() / 1000);
}

TEST(Repair, HumIsFoundFollowedAndSubtracted) {
    for (const double hz : {50.0, 59.7}) {
        auto damaged = voice();
        add_hum(damaged, hz, 6, -38);
        auto part = make_part(EffectType::Hum, 1);
        part[parameter::kHumHz] = hz + 0.15;  // a little off: it follows
        const auto normalised = through(part, damaged);
        EXPECT_GT(si_sdr_db(normalised, voice()), si_sdr_db(damaged, voice()) + 9) << hz;
    }
    // A held tone that is not among its multiples stays.
    std::vector<float> tone(10 * kRate);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] = 0.1F * static_cast<float>(std::sin(kTurn * 220.0 * static_cast<double>(i) / kRate));
    EXPECT_LT(change_db(tone, through(make_part(EffectType::Hum, 1), tone)), -40);
}

TEST(Repair, ThumpsGoFromUnderTheVoice) {
    auto damaged = voice();
    int put = 0;
    for (std::size_t at = 2 * kRate; at + kRate < damaged.size(); at += 3 * kRate, ++put) {
        for (std::size_t i = 0; i < kRate / 4; ++i) {
            const double t = static_cast<double>(i) / kRate;
            damaged[at + i] += static_cast<float>(0.6 * (1 - std::exp(-t / 0.006)) * std::exp(-t / 0.05) *
                                                  std::sin(kTurn * 28 * t));
        }
    }
    const auto part = make_part(EffectType::Plosives, 1);
    EXPECT_GT(si_sdr_db(through(part, damaged), voice()), si_sdr_db(damaged, voice()) + 10);
    PlosiveRemover remover(kRate);
    remover.set(part.values);
    auto left = damaged;
    auto right = damaged;
    remover.process({left, right});
    EXPECT_EQ(remover.found(), static_cast<std::size_t>(put));
}

// Three running means of length L pass f with (sin(pi f L / r) / (L sin(pi f / r)))^3 = h; twicing makes 2 h
// - h^2.
TEST(Repair, RunningLowPassHasItsResponse) {
    constexpr std::size_t kLength = 481;
    for (const double hz : {10.0, 30.0, 60.0, 100.0, 150.0}) {
        RunningLowPass filter(kLength);
        filter.set_length(kLength);
        std::vector<float> out(kRate);
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] = filter.step(static_cast<float>(std::sin(kTurn * hz * static_cast<double>(i) / kRate)));
        const auto settled = std::span(out).subspan(kRate / 2);
        const double gain = std::sqrt(2 * energy_of(settled) / static_cast<double>(settled.size()));
        const double angle = std::numbers::pi * hz / kRate;
        const double h = std::pow(std::sin(kLength * angle) / (kLength * std::sin(angle)), 3);
        EXPECT_NEAR(gain, std::abs(2 * h - h * h), 0.01) << hz;
    }
}

TEST(Repair, WindAndHissAreTurnedDown) {
    std::mt19937 random(11);
    std::normal_distribution<float> normal;
    auto windy = voice();
    double low = 0;
    double lower = 0;
    for (std::size_t i = 0; i < windy.size(); ++i) {
        low += 0.004 * (static_cast<double>(normal(random)) - low);
        lower += 0.004 * (low - lower);
        const double gust = 0.5 + 0.5 * std::sin(kTurn * static_cast<double>(i) / (2.7 * kRate));
        windy[i] += static_cast<float>(12 * gust * lower);
    }
    ASSERT_LT(si_sdr_db(windy, voice()), 6);
    EXPECT_GT(si_sdr_db(through(make_part(EffectType::Wind, 1), windy), voice()),
              si_sdr_db(windy, voice()) + 5);

    auto hissing = voice();
    for (float& x : hissing) x += 0.003F * normal(random);
    const auto evidence = find_hiss(hissing, kRate);
    auto part = make_part(EffectType::Hiss, 1);
    part[parameter::kHissLevelDb] = evidence.third_octave_dbfs + 1.5;
    part[parameter::kHissTiltDb] = evidence.tilt_db;
    EXPECT_NEAR(evidence.tilt_db, 0, 0.7);
    EXPECT_GT(si_sdr_db(through(part, hissing), voice()), si_sdr_db(hissing, voice()) + 3);
}

// What is heard as removed is what went in less what came out, and a tap gets the same.
TEST(Repair, TheRemovedIsTheDifference) {
    auto damaged = voice();
    damaged.resize(6 * kRate);
    add_hum(damaged, 50, 4, -30);
    const auto part = make_part(EffectType::Hum, 1);
    const auto out = through(part, damaged);
    Chain chain(std::span(&part, 1), kRate);
    Tap tap;
    chain.hear(0, Chain::Audition::Removed);
    chain.watch(0, &tap);
    const auto latency = static_cast<std::size_t>(chain.latency());
    std::array<std::vector<float>, 2> block{damaged, damaged};
    for (auto& channel : block) channel.resize(damaged.size() + latency);
    chain.process({block[0], block[1]});
    for (std::size_t i = 0; i < damaged.size(); ++i)
        ASSERT_NEAR(block[0][i + latency], damaged[i] - out[i], 2e-5F) << i;
    const auto tapped = tap.read();
    for (std::size_t i = 0; i < tapped.size(); ++i)
        ASSERT_NEAR(tapped[i], block[0][block[0].size() - tapped.size() + i], 1e-6F) << i;
    EXPECT_EQ(curve_kind(EffectType::Hum), CurveKind::Removed);
}

Finding look_for(Fault fault, const std::vector<float>& sound) {
    return look_at(std::span(&sound, 1), kRate).findings[static_cast<std::size_t>(fault)];
}

TEST(FirstLook, ProposesNothingOnACleanVoice) {
    const auto look = look_at(std::span(&voice(), 1), kRate);
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
    auto humming = voice();
    add_hum(humming, 50, 6, -40);
    const auto hum = look_for(Fault::Hum, humming);
    ASSERT_TRUE(hum.found) << hum.sentence;
    EXPECT_NE(hum.sentence.find("50.0"), std::string::npos) << hum.sentence;
    EXPECT_NEAR((*hum.proposal)[parameter::kHumHz], 50, 0.05);

    const auto cut = look_for(Fault::Clipping, clipped(voice(), 0.25F));
    ASSERT_TRUE(cut.found) << cut.sentence;
    EXPECT_NEAR((*cut.proposal)[parameter::kClipLevelDb], db_of_amplitude(0.25), 0.3);

    auto soft = voice();
    for (float& x : soft) x *= 0.05F;
    const auto level = look_for(Fault::Level, soft);
    ASSERT_TRUE(level.found);
    EXPECT_GT((*level.proposal)[parameter::kGainDb], 10);
}

// Nothing, a tenth of a second, and silence are looked at without a proposal.
TEST(FirstLook, SaysSoWhenThereIsNothingToTell) {
    for (const std::size_t frames : {0UL, 4800UL, 96000UL}) {
        const std::vector<float> silence(frames);
        const auto look = look_at(std::span(&silence, 1), kRate);
        EXPECT_EQ(look.material, Material::Silence);
        EXPECT_TRUE(look.chain(1).empty());
    }
    const auto look = look_at({}, kRate);
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
        return look_at(std::span(&voice(), 1), kRate, levels).material;
    };
    EXPECT_EQ(kind({-25, -60, -30, -70}), Material::VoiceOverMusic);
    EXPECT_EQ(kind({-25, -60, -70, -30}), Material::BusyPlace);
    EXPECT_EQ(kind({-60, -70, -20, -60}), Material::Music);
    EXPECT_EQ(kind({-25, -26, -70, -70}), Material::EchoingRoom);
    EXPECT_EQ(kind({-25, -60, -70, -70}), Material::Voice);
}

// What is not ticked goes in switched off and keeps its values; what the user has built is left alone.
TEST(FirstLook, ProposalsGoInFrontOfTheChain) {
    auto damaged = voice();
    add_hum(damaged, 50, 6, -40);
    for (float& x : damaged) x *= 0.05F;
    const auto look = look_at(std::span(&damaged, 1), kRate);
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
    auto damaged = voice();
    add_hum(damaged, 50, 6, -40);
    test::write_wav(scratch / "take.wav", {damaged}, kRate);
    auto source = Source::bring_in(scratch / "take.wav", scratch.folder());
    ASSERT_TRUE(source.ok());
    Session session;
    session.timeline.sample_rate = kRate;
    const int track = add_track(session.timeline, "Take");
    Placement placement;
    placement.path = "take.wav";
    placement.length = static_cast<std::int64_t>(source->frames());
    place_clip(session.timeline, placement, ClipSource::Whole, track);
    MixMediaSet media;
    media["take.wav"] = {std::make_shared<const Source>(std::move(*source)), nullptr, kRate};
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

TEST(FirstLook, LongRecordingsAreLookedAtInStretches) {
    EXPECT_EQ(stretches_to_look_at(kRate * 100, kRate).size(), 1U);
    const auto stretches = stretches_to_look_at(std::int64_t{kRate} * 3600, kRate);
    ASSERT_EQ(stretches.size(), 8U);
    EXPECT_EQ(stretches.front().first, 0);
    EXPECT_EQ(stretches.back().last, std::int64_t{kRate} * 3600);
    for (std::size_t i = 0; i + 1 < stretches.size(); ++i)
        EXPECT_LT(stretches[i].last, stretches[i + 1].first);
}

}  // namespace
}  // namespace rivlen
