// SPDX-License-Identifier: GPL-3.0-or-later
// Settings beyond isolation and floor, settings over time, and the measured trade-off.
#include <gtest/gtest.h>

#include <atomic>
#include <cmath>
#include <numbers>

#include "core/assessment/proposal.h"
#include "core/assessment/risk_line.h"
#include "core/assessment/tradeoff.h"
#include "core/project/settings_json.h"
#include "core/separation/shaper.h"
#include "core/separation/timed.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

StemSettings with(Setting setting, double value) {
    StemSettings s;
    s.set(setting, value);
    s.set_on(setting, true);
    return s;
}

TEST(Settings, EveryOneHasAUsableDescription) {
    for (std::size_t i = 0; i < kSettings; ++i) {
        const auto& p = info(static_cast<Setting>(i));
        EXPECT_LT(p.lowest, p.highest);
        EXPECT_GE(p.standard, p.lowest);
        EXPECT_LE(p.standard, p.highest);
        EXPECT_GT(p.step, 0);
        for (const std::string text : {p.sentence, p.too_much}) EXPECT_EQ(text.back(), '.') << p.key;
    }
}

TEST(Settings, WeightingIsStraightOverLogFrequencyAndLevelBeyond) {
    StemSettings s;
    EXPECT_EQ(weighting_factor(s, 1000), 1.0);
    s.weighting = {{4000, 100, true}, {250, -100, true}, {1000, 77, false}};
    EXPECT_NEAR(weighting_factor(s, 100), 0.0, 1e-12);
    EXPECT_NEAR(weighting_factor(s, 250), 0.0, 1e-12);
    EXPECT_NEAR(weighting_factor(s, 1000), 1.0, 1e-12);  // half way between 250 and 4000 Hz
    EXPECT_NEAR(weighting_factor(s, 16000), 2.0, 1e-12);
    s.weighting_on = false;
    EXPECT_EQ(weighting_factor(s, 250), 1.0);
}

TEST(MaskWeights, SharesOfTheRestCanDiffer) {
    auto s = with(Setting::ReverbKept, 100);
    s.set(Setting::MusicKept, 50);
    s.set_on(Setting::MusicKept, true);
    const MaskWeights weights = stem_weights(s, 0);
    EXPECT_EQ(weights.weight[1][40], 1.0F);
    EXPECT_NEAR(weights.weight[2][40], rest_gain(50), 1e-6);
    EXPECT_EQ(weights.weight[3][40], 0.0F);
    EXPECT_EQ(stem_weights(s, 2).weight[1][40], 0.0F);  // they are the dialogue's
}

TEST(MaskWeights, BlendsLieOnTheStraightLine) {
    const MaskWeights a = stem_weights(with(Setting::Floor, -60), 0);
    const MaskWeights b = stem_weights(with(Setting::TemporalSmoothing, 80), 0);
    EXPECT_EQ(blend(a, b, 0.0F), a);
    EXPECT_EQ(blend(a, b, 1.0F), b);
    EXPECT_NEAR(blend(a, b, 0.25F).temporal_smoothing, 0.2, 1e-6);
    EXPECT_NEAR(blend(a, b, 0.25F).min_gain, 0.00075, 1e-6);
}

TEST(FrameMasks, SteadiedMasksStillAddUpToOne) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 0.7);
    const auto map = test::random_map(scratch, source);
    FrameMasks masks(map, 1.0);
    double varied = 0;
    double calmed = 0;
    for (std::int64_t t = 0; t < 60; ++t) {
        const auto row = masks.smoothed(t, 0.8F);
        for (std::size_t b = 0; b < kBands; ++b) {
            float sum = 0;
            for (std::size_t s = 0; s < kStems; ++s) sum += row[s * kBands + b];
            EXPECT_NEAR(sum, 1.0F, 1e-4F);
        }
        const float steady = row[50];
        const float before = masks.smoothed(t - 1, 0.8F)[50];
        calmed += std::abs(static_cast<double>(steady - before));
        varied +=
            std::abs(static_cast<double>(masks.plain(t)[50]) - static_cast<double>(masks.plain(t - 1)[50]));
    }
    EXPECT_LT(calmed, 0.3 * varied);
}

TEST(FrameMasks, OpensFasterThanItCloses) {
    // A single open frame: what is heard before it is less than what is heard behind it.
    std::vector<float> open(kMaskRow, 1.0F);
    const std::vector<float> shut(kMaskRow, 0.0F);
    std::vector<float> out(kMaskRow);
    const auto gain_at = [&](std::int64_t t) {
        smooth_masks([&](std::int64_t k) { return std::span<const float>(t + k == 0 ? open : shut); }, 1.0F,
                     out);
        return out[30];
    };
    for (std::int64_t n = 1; n < 6; ++n) EXPECT_LT(gain_at(-n), gain_at(n));
    EXPECT_GT(gain_at(0), gain_at(1));
}

// A voice of a tone at 200 Hz, then a burst of noise beside it: a "t" after a vowel. The map gives the noise
// half to the dialogue.
struct Spoken {
    Scratch scratch;
    std::optional<Source> source;
    std::optional<MaskMap> map;
    static constexpr std::size_t kBurst = 48000, kLength = 96000;
    explicit Spoken(float high_mask) {
        std::vector<float> x(kLength);
        auto hiss = test::noise(kLength, 3);
        for (std::size_t i = 0; i < kLength; ++i) {
            const double t = static_cast<double>(i) / 48000.0;
            x[i] = i < kBurst ? static_cast<float>(0.2 * std::sin(2 * std::numbers::pi * 200 * t)) : 0.0F;
            if (i >= kBurst && i < kBurst + 4000) x[i] += hiss[i] - (i > 0 ? hiss[i - 1] : 0.0F);
        }
        test::write_wav(scratch / "t.wav", {x}, 48000);
        source = std::move(Source::bring_in(scratch / "t.wav", scratch / "work").value());
        const std::uint64_t frames = Stft::frame_count(kLength, kModelHop);
        std::vector<float> masks(frames * kMaskRow, 0.0F);
        for (std::uint64_t f = 0; f < frames; ++f) {
            for (std::size_t b = 0; b < kBands; ++b) {
                const float own = band_centre_hz(static_cast<int>(b)) < 1200 ? 0.95F : high_mask;
                masks[f * kMaskRow + b] = own;
                masks[f * kMaskRow + 3 * kBands + b] = 1.0F - own;
            }
        }
        auto writer = MaskMapWriter::create(scratch / "t.map", {source->hash(), "test", frames});
        EXPECT_TRUE(writer->write(0, masks).ok());
        EXPECT_TRUE(writer->commit().ok());
        map = std::move(MaskMap::open(scratch / "t.map", source->hash()).value());
    }
    [[nodiscard]] double burst_level(const StemSettings& settings) const {
        const std::array weight_sets = {stem_weights(settings, 0)};
        double sum = 0;
        EXPECT_TRUE(
            render(*source, *map, weight_sets, kBurst, kBurst + 2000, {}, [&](std::int64_t, auto blocks) {
                for (const float v : blocks[0][0]) sum += static_cast<double>(v) * static_cast<double>(v);
                return Status{};
            }).ok());
        return 10 * std::log10(sum);
    }
};

TEST(Guard, HoldsAConsonantOpenAndLeavesTheRestShut) {
    const Spoken spoken(0.4F);
    EXPECT_GT(spoken.burst_level(with(Setting::Guard, 100)), spoken.burst_level({}) + 4.0);
    FrameMasks masks(*spoken.map, 1.0);
    Consonants consonants(*spoken.source, {0, spoken.source->channels()}, masks, kModelFft);
    EXPECT_GT(consonants.at(94), 0.6F);   // the burst begins at frame 93.75
    EXPECT_LT(consonants.at(50), 0.05F);  // within the vowel
    EXPECT_LT(consonants.at(150), 0.05F);
    // The same burst that the map gives to the ambience is no consonant.
    const Spoken noise(0.01F);
    EXPECT_LT(noise.burst_level(with(Setting::Guard, 100)),
              noise.burst_level(with(Setting::Isolation, 0)) - 15.0);
}

// Beside a consonant it opens only what the dialogue explains: a band that the map gives to the music stays
// as shut as without it.
TEST(Guard, OpensOnlyWhatTheDialogueExplains) {
    const MaskWeights weights = stem_weights(with(Setting::Guard, 100), 0);
    std::vector<float> masks(kMaskRow, 0.0F), gains(kBands);
    const auto band_at = [](double hz) {
        std::size_t b = 0;
        while (band_centre_hz(static_cast<int>(b)) < hz) ++b;
        return b;
    };
    const std::size_t music = band_at(4000), half = band_at(5000), voice = band_at(6000);
    for (std::size_t b = 0; b < kBands; ++b) {
        masks[b] = b == music ? 0.0F : b == half ? 0.25F : 0.5F;
        masks[2 * kBands + b] = 1.0F - masks[b];
    }
    band_gains(weights, masks, 1.0F, gains);
    EXPECT_FLOAT_EQ(gains[music], weights.min_gain);
    EXPECT_FLOAT_EQ(gains[half], 0.5F);
    EXPECT_FLOAT_EQ(gains[voice], 1.0F);
}

// What is in opposite polarity on both channels is found as well as what is on one.
TEST(Consonants, AreFoundInOppositePolarity) {
    const Spoken spoken(0.4F);
    std::vector<float> x(Spoken::kLength);
    spoken.source->read(0, 0, x);
    std::vector<float> turned = x;
    for (float& v : turned) v = -v;
    test::write_wav(spoken.scratch / "turned.wav", {x, turned}, 48000);
    const auto source = Source::bring_in(spoken.scratch / "turned.wav", spoken.scratch / "work");
    ASSERT_TRUE(source.ok());
    FrameMasks one(*spoken.map, 1.0), two(*spoken.map, 1.0);
    Consonants plain(*spoken.source, {0, 1}, one, kModelFft);
    Consonants both(*source, {0, 2}, two, kModelFft);
    for (std::int64_t t = 80; t < 110; ++t) EXPECT_NEAR(both.at(t), plain.at(t), 0.01F) << t;
    EXPECT_GT(both.at(94), 0.6F);
}

TEST(Consonants, DoNotDependOnWhatWasAskedBefore) {
    const Spoken spoken(0.4F);
    FrameMasks masks(*spoken.map, 1.0);
    FrameMasks other(*spoken.map, 1.0);
    Consonants forward(*spoken.source, {0, spoken.source->channels()}, masks, kModelFft);
    Consonants jumping(*spoken.source, {0, spoken.source->channels()}, other, kModelFft);
    std::vector<float> along;
    for (std::int64_t t = 0; t < 180; ++t) along.push_back(forward.at(t));
    for (const std::int64_t t : {170, 3, 95, 94, 93, 150, 20})
        EXPECT_EQ(jumping.at(t), along[static_cast<std::size_t>(t)]);
}

TEST(Timed, LinesAndRangesDecideWhatHolds) {
    TimedSettings timed;
    timed.lines = {{0, Setting::Isolation, {{1000, 20}, {2000, 80}}}};
    EXPECT_EQ(timed.base_at(0).stems[0].value(Setting::Isolation), 20);
    EXPECT_EQ(timed.base_at(1500).stems[0].value(Setting::Isolation), 50);
    EXPECT_EQ(timed.base_at(9000).stems[0].value(Setting::Isolation), 80);
    ShapeSettings muted;
    muted.stems[0].mute = true;
    timed.ranges = {{4000, 8000, 1000, muted}};
    EXPECT_EQ(timed.ranges[0].share(3000), 0.0);
    EXPECT_NEAR(timed.ranges[0].share(4000), 0.5, 1e-9);
    EXPECT_EQ(timed.ranges[0].share(6000), 1.0);
    const TimedMaskWeights weight_sets(timed);
    EXPECT_EQ(weight_sets.kept(6000).weight[0][5], 0.0F);
    EXPECT_NEAR(weight_sets.kept(4000).weight[0][5], 0.5F, 1e-6F);
    EXPECT_EQ(weight_sets.kept(2000).weight[0][5], 1.0F);
}

TEST(Lines, PointsAreKeptInOrderAndALineEndsWithItsLastPoint) {
    std::vector<SettingLane> lines;
    put_point(lines, 1, Setting::Gain, {500, -3});
    put_point(lines, 1, Setting::Gain, {100, -6});
    put_point(lines, 1, Setting::Gain, {500, -1});
    ASSERT_EQ(lines.size(), 1U);
    EXPECT_EQ(lines[0].points, (std::vector<Breakpoint>{{100, -6}, {500, -1}}));
    EXPECT_EQ(find_lane(lines, 1, Setting::Floor), nullptr);
    EXPECT_EQ(find_lane(lines, 0, Setting::Gain), nullptr);
    erase_points(lines, 1, Setting::Gain, 100, 101);
    EXPECT_EQ(lines[0].points.size(), 1U);
    erase_points(lines, 1, Setting::Gain, 0, 1000);
    EXPECT_TRUE(lines.empty());
}

// Whatever is left out, the thinned line stays within the tolerance at every point.
TEST(Lines, ThinningStaysWithinTheTolerance) {
    std::vector<Breakpoint> points;
    for (int i = 0; i <= 400; ++i) points.push_back({i * 800, 50 + 40 * std::sin(i / 40.0)});
    const auto fewer = thinned(points, 1.0);
    EXPECT_LT(fewer.size(), 60U);
    EXPECT_EQ(fewer.front(), points.front());
    EXPECT_EQ(fewer.back(), points.back());
    const SettingLane line{0, Setting::Isolation, fewer};
    for (const auto& p : points) EXPECT_NEAR(line.at(p.frame), p.value, 1.0 + 1e-9);
    std::vector<Breakpoint> straight;
    for (int i = 0; i < 50; ++i) straight.push_back({i * 10, 3.0 * i});
    EXPECT_EQ(thinned(straight, 0.01).size(), 2U);
}

// kept + removed = source is arithmetic; that what is kept changes without a click is not.
TEST(Timed, ARangeComesInWithoutAStep) {
    const Scratch scratch;
    std::vector<float> tone(96000);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] =
            static_cast<float>(0.5 * std::sin(2 * std::numbers::pi * 100 * static_cast<double>(i) / 48000));
    test::write_wav(scratch / "tone.wav", {tone}, 48000);
    const auto source = Source::bring_in(scratch / "tone.wav", scratch / "work");
    const auto map = test::random_map(scratch, *source);
    ShapeSettings muted;
    for (auto& stem : muted.stems) stem.mute = true;
    TimedSettings timed;
    timed.ranges = {{48000, 96000, 960, muted}};
    const TimedMaskWeights weight_sets(timed);
    MaskWeights now;
    std::vector<float> out;
    ASSERT_TRUE(render(
                    *source, map, 1,
                    [&](std::int64_t frame) {
                        now = weight_sets.kept(frame);
                        return std::span<const MaskWeights>(&now, 1);
                    },
                    0, 96000, {},
                    [&](std::int64_t, auto blocks) {
                        out.insert(out.end(), blocks[0][0].begin(), blocks[0][0].end());
                        return Status{};
                    })
                    .ok());
    EXPECT_EQ(out[30000], tone[30000]);
    EXPECT_NEAR(out[60000], 0.0F, 1e-6F);
    float step = 0;
    for (std::size_t i = 40000; i < 60000; ++i) step = std::max(step, std::abs(out[i] - out[i - 1]));
    EXPECT_LT(step, 0.5F * 2.0F * 3.15F * 100.0F / 48000.0F * 1.1F);  // no steeper than the tone itself
}

TEST(TradeOff, NothingIsolatedIsNothingDamaged) {
    const Spoken spoken(0.4F);
    const auto a = Assessment::prepare(*spoken.source, *spoken.map, 0, Spoken::kLength);
    ASSERT_TRUE(a.ok());
    const auto untouched = a->measure(stem_weights(with(Setting::Isolation, 0), 0), 0);
    EXPECT_EQ(untouched.damage, 0.0);
    const auto curve = a->curve({}, 0, 11);
    ASSERT_EQ(curve.size(), 11U);
    for (std::size_t i = 1; i < curve.size(); ++i) {
        EXPECT_LE(curve[i].bleed_db, curve[i - 1].bleed_db);
        EXPECT_GE(curve[i].damage, curve[i - 1].damage);
    }
    EXPECT_LT(curve.back().bleed_db, curve.front().bleed_db - 3.0);
    EXPECT_GT(curve.back().parts.consonants_db, 2.0);
    // The guard gives consonants back and pays with leak.
    const auto guarded = a->measure(stem_weights(with(Setting::Guard, 100), 0), 0);
    EXPECT_LT(guarded.parts.consonants_db, curve.back().parts.consonants_db - 1.0);
    EXPECT_GT(guarded.bleed_db, curve.back().bleed_db);
    // Gain is a matter of level, not of damage.
    EXPECT_NEAR(a->measure(stem_weights(with(Setting::Gain, -20), 0), 0).damage, curve.back().damage, 1e-4);
}

TEST(TradeOff, RiskIsHighestAtTheConsonantAndNothingInSilence) {
    const Spoken spoken(0.4F);
    const auto a = Assessment::prepare(*spoken.source, *spoken.map, 0, Spoken::kLength);
    const auto risk = a->risk(stem_weights(StemSettings{}, 0), 0);
    // The tone's own beginning at frame 0 is an onset too.
    const auto worst = std::max_element(risk.begin() + 8, risk.end()) - risk.begin();
    EXPECT_NEAR(static_cast<double>(worst), 96, 6);
    EXPECT_EQ(risk[180], 0.0F);
    for (const float r : a->risk(stem_weights(with(Setting::Isolation, 0), 0), 0)) EXPECT_EQ(r, 0.0F);
}

TEST(RiskLine, IsTheSameWithAnyNumberOfWorkersAndReachesTheEnd) {
    const Spoken spoken(0.4F);
    const auto one = measure_risk(*spoken.source, *spoken.map, {}, 0, 1);
    const auto three = measure_risk(*spoken.source, *spoken.map, {}, 0, 3);
    ASSERT_TRUE(one.ok() && three.ok());
    EXPECT_EQ(one->risk, three->risk);
    EXPECT_EQ(one->risk.size(), 40U);  // 2 s
    std::atomic<bool> stop{true};
    EXPECT_EQ(measure_risk(*spoken.source, *spoken.map, {}, 0, 1, {{}, &stop}).error().kind,
              ErrorKind::Cancelled);
}

TEST(RiskLine, SpotsAreRankedAndLieApart) {
    RiskLine line;
    line.risk.assign(200, 0.0F);  // 10 s
    line.risk[20] = 0.5F;
    line.risk[30] = 0.4F;  // within two seconds of the first
    line.risk[100] = 0.9F;
    line.risk[180] = 0.04F;  // too little to be a spot
    const auto spots = worst_spots(line, 10);
    ASSERT_EQ(spots.size(), 2U);
    EXPECT_NEAR(spots[0].seconds, 5.025, 1e-9);
    EXPECT_NEAR(spots[1].seconds, 1.025, 1e-9);
    EXPECT_EQ(worst_spots(line, 1).size(), 1U);
}

// Leak falls by 40 dB, damage grows with the square of isolation.
std::vector<TradeOff> made_curve(double own_db, double worst_loss) {
    std::vector<TradeOff> curve(41);
    for (std::size_t i = 0; i < curve.size(); ++i) {
        const double p = static_cast<double>(i) / 40.0;
        curve[i].bleed_db = -3.0 - 40.0 * p;
        curve[i].own_db = own_db;
        curve[i].parts.loss = worst_loss * p * p;
        curve[i].damage = 60.0 * p * p;
    }
    return curve;
}

TEST(Proposal, GoesFurtherTheLessDamageMatters) {
    const auto curve = made_curve(-3.0, 0.4);
    const auto natural = propose(curve, Purpose::Natural);
    const auto alone = propose(curve, Purpose::Alone);
    const auto over = propose(curve, Purpose::OverPictures);
    EXPECT_LT(natural.isolation_percent, alone.isolation_percent);
    EXPECT_LT(alone.isolation_percent, over.isolation_percent);
    EXPECT_LE(natural.isolation_percent, 40.0);
    EXPECT_LE(alone.isolation_percent, 70.0);
    for (const auto& p : {natural, alone, over}) EXPECT_EQ(p.reason.back(), '.');
}

TEST(Proposal, TakesAllWhereNothingIsLostAndNothingWhereTheStemIsSilent) {
    auto clean = made_curve(-3.0, 0.0);
    for (auto& t : clean) t.damage = 0.0;
    EXPECT_EQ(propose(clean, Purpose::Natural).isolation_percent, 100.0);
    const auto silent = propose(made_curve(-90.0, 0.4), Purpose::Alone);
    EXPECT_EQ(silent.isolation_percent, 0.0);
    EXPECT_NE(silent.reason.find("next to nothing"), std::string::npos);
    EXPECT_EQ(propose({}, Purpose::Alone).isolation_percent, 0.0);
}

TEST(Proposal, SteadinessGoesWithATwitteringResidueAndLeavesOnesOwn) {
    auto curve = made_curve(-3.0, 0.0);
    for (auto& t : curve) t.damage = 0.0;
    StemSettings s;
    take(propose(curve, Purpose::OverPictures), s);
    EXPECT_FALSE(s.acts(Setting::TemporalSmoothing));
    for (auto& t : curve) t.parts.musical_noise = 1.0;
    const auto proposal = propose(curve, Purpose::OverPictures);
    EXPECT_NE(proposal.reason.find("steadiness"), std::string::npos);
    EXPECT_EQ(proposal.reason.back(), '.');
    take(proposal, s);
    EXPECT_EQ(s.value(Setting::Isolation), 100.0);
    EXPECT_TRUE(s.acts(Setting::TemporalSmoothing));
    EXPECT_EQ(s.value(Setting::TemporalSmoothing), proposal.temporal_smoothing_percent);
    s.set(Setting::TemporalSmoothing, 70);
    take(proposal, s);
    EXPECT_EQ(s.value(Setting::TemporalSmoothing), 70.0);
}

TEST(TradeOff, AnEmptyStretchIsASentence) {
    const Spoken spoken(0.4F);
    EXPECT_EQ(Assessment::prepare(*spoken.source, *spoken.map, 500, 500).error().kind, ErrorKind::BadInput);
}

TEST(Preset, ComesBackAndRefusesWhatIsNone) {
    const Scratch scratch;
    Card card{"clear", "for the news", {}};
    card.settings.stems[0] = with(Setting::Guard, 33);
    card.settings.stems[0].weighting = {{120, 50, true}};
    ASSERT_TRUE(save_preset(card, scratch / "c.rivlen-preset").ok());
    EXPECT_EQ(load_preset(scratch / "c.rivlen-preset").value(), card);
    card.corrections.resize(1);
    card.corrections[0].region.points = {{1, 100}, {2, 400}};
    normalise(card.corrections);
    ASSERT_TRUE(save_preset(card, scratch / "c.rivlen-preset").ok());
    EXPECT_EQ(load_preset(scratch / "c.rivlen-preset").value(), card);
    test::write_wav(scratch / "x.wav", {{0.0F}}, 48000);
    EXPECT_EQ(load_preset(scratch / "x.wav").error().kind, ErrorKind::BadInput);
    EXPECT_EQ(load_preset(scratch / "none").error().kind, ErrorKind::NotFound);
}

}  // namespace
}  // namespace rivlen
