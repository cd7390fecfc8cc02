// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/corrections.h"
#include "core/separation/correction_settings.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <numeric>
#include <random>

#include "core/dsp/decibels.h"
#include "core/project/corrections_json.h"
#include "core/separation/band_powers.h"
#include "core/separation/region_facts.h"
#include "core/separation/shaper.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;
using test::kRate;
using test::Scratch;

constexpr std::size_t kDialogueStem = 0, kReverbStem = 1, kMusicStem = 2, kAmbienceStem = 3;

Correction correction(CorrectionAct act, double first, double last, double low, double high) {
    Correction c;
    c.act = act;
    c.region.points = {{first, low}, {last, high}};
    return c;
}

// A mono recording and a map with the same masks everywhere.
struct Correctable {
    Correctable(const std::vector<float>& sound, std::array<float, kStems> masks) {
        test::write_wav(scratch / "sound.wav", {sound}, kRate);
        auto brought = Source::bring_in(scratch / "sound.wav", scratch.folder());
        if (!brought) throw std::runtime_error(brought.error().message);
        source = std::make_unique<Source>(std::move(*brought));
        map = std::make_unique<MaskMap>(test::even_map(scratch, *source, masks));
    }
    [[nodiscard]] MaskMap with(const std::vector<Correction>& corrections) const {
        auto out = corrected(*map, corrections, *source);
        if (!out) throw std::runtime_error(out.error().message);
        return std::move(*out);
    }
    [[nodiscard]] std::vector<float> stem(const MaskMap& masks, std::size_t stem) const {
        return rendered(masks, stem_weights(StemSettings{}, stem));
    }
    [[nodiscard]] std::vector<float> rendered(const MaskMap& masks, const MaskWeights& weights) const {
        std::vector<float> out;
        const std::array sets = {weights};
        const Status status = render(*source, masks, sets, 0, static_cast<std::int64_t>(source->frames()), {},
                                     [&](std::int64_t, std::span<const AudioBlock> blocks) {
                                         out.insert(out.end(), blocks[0][0].begin(), blocks[0][0].end());
                                         return Status{};
                                     });
        if (!status) throw std::runtime_error(status.error().message);
        return out;
    }
    Scratch scratch;
    std::unique_ptr<Source> source;
    std::unique_ptr<MaskMap> map;
};

std::vector<float> plain_tone(double hz, double seconds, double amplitude) {
    std::vector<float> out(static_cast<std::size_t>(seconds * kRate));
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = static_cast<float>(amplitude *
                                    std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / kRate));
    return out;
}

double mean_power_db(std::span<const float> x, double first, double last) {
    double sum = 0;
    const auto a = static_cast<std::size_t>(first * kRate), b = static_cast<std::size_t>(last * kRate);
    for (std::size_t i = a; i < b; ++i) sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    return db_of_power(sum / static_cast<double>(b - a) + 1e-30);
}

std::array<float, kStems> corrected_masks(const MaskMap& map, double seconds, double hz) {
    std::array<float, kMaskRow> row;
    map.read(seconds * kMapFramesPerSecond, row);
    const auto bin = static_cast<std::size_t>(std::lround(hz * kModelFft / kModelRate));
    const auto band = static_cast<std::size_t>(band_of_bin()[bin]);
    std::array<float, kStems> out;
    for (std::size_t s = 0; s < kStems; ++s) out[s] = row[s * kBands + band];
    return out;
}

// A tone that the model took for music goes to the ambience, and only there and then.
TEST(Corrections, GivingMovesASoundFromStemToStem) {
    const Correctable m(plain_tone(1000, 4, 0.2), {0, 0, 1, 0});
    auto give = correction(CorrectionAct::Give, 1, 3, 900, 1100);
    give.to = Stem::Ambience;
    const MaskMap map = m.with({give});
    const auto music = m.stem(map, kMusicStem), noises = m.stem(map, kAmbienceStem);
    const double full = mean_power_db(music, 0.2, 0.8);
    EXPECT_NEAR(full, -17, 0.1);  // 0.2 is -14 dBFS, its mean power 3 dB less
    EXPECT_LT(mean_power_db(music, 1.2, 2.8), full - 45);
    EXPECT_NEAR(mean_power_db(noises, 1.2, 2.8), full, 0.01);
    EXPECT_LT(mean_power_db(noises, 0.2, 0.8), full - 100);
    EXPECT_NEAR(mean_power_db(music, 3.2, 3.8), full, 0.01);
    // What is added up stays the source to the rounding.
    EXPECT_LT(measure_sum_dbfs(*m.source, map, 0, static_cast<std::int64_t>(m.source->frames())), -110);
}

TEST(Corrections, GivingTakesFromTheChosenStemsOnlyAndAsFarAsAsked) {
    const Correctable m(plain_tone(1000, 2, 0.2), {0.1F, 0.2F, 0.3F, 0.4F});
    auto give = correction(CorrectionAct::Give, 0.5, 1.5, 500, 2000);
    give.to = Stem::Dialogue;
    give.from = {true, false, true, false};
    give.strength_percent = 50;
    const auto before = corrected_masks(*m.map, 1, 1000);
    const auto after = corrected_masks(m.with({give}), 1, 1000);
    EXPECT_NEAR(after[kDialogueStem], before[kDialogueStem] + 0.5F * before[kMusicStem], 1e-6F);
    EXPECT_NEAR(after[kMusicStem], 0.5F * before[kMusicStem], 1e-6F);
    EXPECT_EQ(after[kReverbStem], before[kReverbStem]);
    EXPECT_EQ(after[kAmbienceStem], before[kAmbienceStem]);
    EXPECT_EQ(corrected_masks(m.with({give}), 1, 4000),
              corrected_masks(*m.map, 1, 4000));  // elsewhere to the bit
}

// What is taken down is cut from the whole: kept + removed + cut is the source, and the stems and the cut
// are, too.
TEST(Corrections, WhatIsTakenDownIsCut) {
    const Correctable m(plain_tone(1000, 3, 0.2), {0.5F, 0.1F, 0.3F, 0.1F});
    auto down = correction(CorrectionAct::TakeDown, 1, 2, 900, 1100);
    down.take_down_db = 12;
    const MaskMap map = m.with({down});
    EXPECT_TRUE(map.cuts());
    const auto before = m.stem(*m.map, kDialogueStem), after = m.stem(map, kDialogueStem);
    EXPECT_NEAR(mean_power_db(after, 1.2, 1.8) - mean_power_db(before, 1.2, 1.8), -12, 0.05);
    EXPECT_NEAR(mean_power_db(after, 0.2, 0.8) - mean_power_db(before, 0.2, 0.8), 0, 1e-6);
    const auto whole = m.rendered(map, whole_weights());
    EXPECT_NEAR(mean_power_db(whole, 1.2, 1.8), -17 - 12, 0.1);
    EXPECT_NEAR(mean_power_db(whole, 0.2, 0.8), -17, 0.1);
    EXPECT_LT(measure_sum_dbfs(*m.source, map, 0, static_cast<std::int64_t>(m.source->frames())), -110);
    // At the end of its range nothing is left.
    down.take_down_db = kMostTakeDownDb;
    EXPECT_EQ(corrected_masks(m.with({down}), 1.5, 1000), (std::array<float, kStems>{}));
    // Everywhere but in the region.
    down.outside = true;
    EXPECT_EQ(corrected_masks(m.with({down}), 1.5, 1000), corrected_masks(*m.map, 1.5, 1000));
    EXPECT_EQ(corrected_masks(m.with({down}), 2.5, 1000), (std::array<float, kStems>{}));
    EXPECT_EQ(corrected_masks(m.with({down}), 1.5, 5000), (std::array<float, kStems>{}));
}

TEST(Corrections, TheModelsSharesComeBackWhereTheyAreAskedFor) {
    const Correctable m(plain_tone(1000, 2, 0.2), {0.1F, 0.2F, 0.3F, 0.4F});
    auto give = correction(CorrectionAct::Give, 0, 2, 100, 10000);
    give.to = Stem::Music;
    const auto back = correction(CorrectionAct::ShareAsBefore, 0.5, 1.5, 800, 1200);
    const MaskMap map = m.with({give, back});
    const auto model = corrected_masks(*m.map, 1, 1000), here = corrected_masks(map, 1, 1000);
    for (std::size_t s = 0; s < kStems; ++s) EXPECT_NEAR(here[s], model[s], 1e-6F);
    EXPECT_NEAR(corrected_masks(map, 1, 3000)[kMusicStem], 1, 1e-6);
    EXPECT_NEAR(corrected_masks(map, 1.8, 1000)[kMusicStem], 1, 1e-6);
    // The order of the list counts.
    EXPECT_NEAR(corrected_masks(m.with({back, give}), 1, 1000)[kMusicStem], 1, 1e-6);
    // Switched off, it does nothing at all.
    give.on = false;
    EXPECT_EQ(corrected_masks(m.with({give}), 1, 1000), model);
}

// A bang of 100 ms over steady noise, 30 dB above it: filled, the noise is as loud there as beside it.
TEST(Corrections, AFillBringsABangToTheLevelAroundIt) {
    auto sound = test::noise(static_cast<std::size_t>(4 * kRate), 3);
    for (float& x : sound) x *= 0.1F;
    const auto quiet = sound;
    const auto bang = test::noise(static_cast<std::size_t>(0.1 * kRate), 4);
    for (std::size_t i = 0; i < bang.size(); ++i)
        sound[static_cast<std::size_t>(2 * kRate) + i] += 3 * bang[i];
    const Correctable m(sound, {0.02F, 0.02F, 0.02F, 0.94F});
    const auto fill = correction(CorrectionAct::Fill, 1.97, 2.13, 20, 24000);
    const MaskMap map = m.with({fill});
    const auto noises = m.stem(map, kAmbienceStem);
    const double beside = mean_power_db(noises, 1, 1.9);
    EXPECT_GT(mean_power_db(m.stem(*m.map, kAmbienceStem), 2, 2.1), beside + 25);
    EXPECT_NEAR(mean_power_db(noises, 2, 2.1), beside, 1.5);
    EXPECT_NEAR(mean_power_db(noises, 2.2, 3.5), beside, 0.3);
    const auto untouched = m.stem(*m.map, kAmbienceStem);
    for (std::size_t i = 0; i < static_cast<std::size_t>(1.8 * kRate); ++i)
        ASSERT_EQ(noises[i], untouched[i]);
    EXPECT_LT(measure_sum_dbfs(*m.source, map, 0, static_cast<std::int64_t>(m.source->frames())), -110);
    // At the very start there is only what follows, at the very end only what was before.
    const Correctable begins(
        std::vector<float>(sound.begin() + static_cast<std::ptrdiff_t>(2 * kRate), sound.end()),
        {0.02F, 0.02F, 0.02F, 0.94F});
    const auto first =
        begins.stem(begins.with({correction(CorrectionAct::Fill, 0, 0.13, 20, 24000)}), kAmbienceStem);
    EXPECT_NEAR(mean_power_db(first, 0.01, 0.1), mean_power_db(first, 0.5, 1.5), 3);
}

// A steady tone under a bang goes on through it with its phase; the bang is what is cut.
TEST(Corrections, AFillContinuesATone) {
    const auto clean = plain_tone(440, 4, 0.1);
    auto sound = clean;
    const auto bang = test::noise(static_cast<std::size_t>(0.08 * kRate), 4);
    for (std::size_t i = 0; i < bang.size(); ++i)
        sound[static_cast<std::size_t>(2 * kRate) + i] += 3 * bang[i];
    const Correctable m(sound, {0, 0, 0, 1});
    const MaskMap map = m.with({correction(CorrectionAct::Fill, 1.99, 2.1, 20, 24000)});
    const auto filled = m.stem(map, kAmbienceStem);
    double apart = 0;
    double tone = 0;
    for (auto i = static_cast<std::size_t>(1.95 * kRate); i < static_cast<std::size_t>(2.15 * kRate); ++i) {
        apart += std::pow(static_cast<double>(filled[i] - clean[i]), 2);
        tone += std::pow(static_cast<double>(clean[i]), 2);
    }
    EXPECT_GT(db_of_power(tone / apart), 25);
    EXPECT_LT(measure_sum_dbfs(*m.source, map, 0, static_cast<std::int64_t>(m.source->frames())), -110);
    // What the region is told of: nearly all that was there is cut.
    const auto facts =
        facts_of(correction(CorrectionAct::Fill, 1.99, 2.1, 20, 24000).region, *m.source, &map);
    EXPECT_GT(facts.cut_percent, 90);
    EXPECT_NEAR(
        facts_of(correction(CorrectionAct::Fill, 1, 1.1, 20, 24000).region, *m.source, &map).cut_percent, 0,
        0.5);
    // Half of it leaves half of the bang; in some bands only, the rest of the bang stays.
    auto half = correction(CorrectionAct::Fill, 1.99, 2.1, 20, 24000);
    half.strength_percent = 50;
    const double bang_db = mean_power_db(m.stem(*m.map, kAmbienceStem), 2, 2.08);
    EXPECT_NEAR(mean_power_db(m.stem(m.with({half}), kAmbienceStem), 2, 2.08), bang_db - 6, 1);
    const auto low = m.stem(m.with({correction(CorrectionAct::Fill, 1.99, 2.1, 20, 8000)}), kAmbienceStem);
    EXPECT_GT(mean_power_db(low, 2, 2.08), bang_db - 4);
    EXPECT_LT(mean_power_db(low, 2, 2.08), bang_db - 1);
    // What is further down the list as the model had it is not filled.
    const MaskMap undone = m.with({correction(CorrectionAct::Fill, 1.99, 2.1, 20, 24000),
                                   correction(CorrectionAct::ShareAsBefore, 1.9, 2.2, 20, 24000)});
    EXPECT_NEAR(mean_power_db(m.stem(undone, kAmbienceStem), 2, 2.08), bang_db, 0.1);
}

// With none, or none that is on, the very same masks come out.
TEST(Corrections, NoneChangeNothingToTheBit) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 44100, 2, 1.0);
    const auto map = test::random_map(scratch, source);
    auto off = correction(CorrectionAct::TakeDown, 0, 1, 20, 20000);
    off.on = false;
    const auto with = corrected(map, std::vector{off}, source);
    ASSERT_TRUE(with.ok());
    EXPECT_FALSE(with->cuts());
    std::array<float, kMaskRow> a, b;
    for (double at = 0; at < 90; at += 0.37) {
        map.read(at, a);
        with->read(at, b);
        ASSERT_EQ(a, b);
    }
}

Correction random_correction(std::mt19937& random) {
    const auto up_to = [&](double most) { return static_cast<double>(random() % 10000) / 10000 * most; };
    Correction c;
    c.act = static_cast<CorrectionAct>(random() % kCorrectionActs);
    c.on = random() % 8 != 0;
    c.outside = random() % 16 == 0;
    c.to = static_cast<Stem>(random() % kStems);
    for (bool& from : c.from) from = random() % 4 != 0;
    c.take_down_db = up_to(70);
    c.strength_percent = up_to(110);
    c.region.shape = static_cast<RegionShape>(random() % 3);
    const double at = up_to(2);
    for (std::size_t n = 1 + random() % 6; n > 0; --n)
        c.region.points.push_back({at + up_to(0.2), 30 * std::exp2(up_to(9.5))});
    c.region.brush_ms = up_to(60);
    c.region.harmonics = random() % 10 == 0;
    return c;
}

// 100,000 random corrections, in lists: masks stay between 0 and 1 and add up to one with what is cut;
// without cuts they add up to one; and lists are the same after they were written and read.
TEST(Corrections, AHundredThousandRandomOnesKeepEveryPromise) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 16000, 1, 2.0);
    const auto map = test::random_map(scratch, source);
    std::mt19937 random(11);
    std::array<float, kMaskRow> row;
    std::size_t made = 0;
    while (made < 100'000) {
        std::vector<Correction> list;
        for (int i = 0; i < 500; ++i) {
            list.push_back(random_correction(random));
            // Fills look at sound, which takes longer; one in fifty is enough here.
            if (list.back().act == CorrectionAct::Fill && i % 50 != 0) list.back().act = CorrectionAct::Give;
        }
        made += list.size();
        const auto with = corrected(map, list, source);
        ASSERT_TRUE(with.ok());
        for (int k = 0; k < 10; ++k) {
            with->read(static_cast<double>(random() % 20000) / 100, row);
            for (std::size_t b = 0; b < kBands; ++b) {
                float sum = 0;
                for (std::size_t s = 0; s < kStems; ++s) {
                    const float x = row[s * kBands + b];
                    ASSERT_TRUE(x >= 0 && x <= 1.0001F) << x;
                    sum += x;
                }
                ASSERT_LE(sum, 1.0001F);
            }
        }
        normalise(list);
        ASSERT_TRUE(corrections_from_json(corrections_to_json(list)) == list);
        std::erase_if(list, [](const Correction& c) {
            return c.act == CorrectionAct::TakeDown || c.act == CorrectionAct::Fill;
        });
        const auto whole = corrected(map, list, source);
        ASSERT_TRUE(whole.ok());
        EXPECT_FALSE(whole->cuts());
        whole->read(static_cast<double>(random() % 18000) / 100, row);
        for (std::size_t b = 0; b < kBands; ++b)
            ASSERT_NEAR(row[b] + row[kBands + b] + row[2 * kBands + b] + row[3 * kBands + b], 1, 1e-4);
    }
}

TEST(Corrections, FilesAreReadBackAndRefusedWithASentence) {
    const Scratch scratch;
    std::mt19937 random(3);
    std::vector<Correction> list;
    for (int i = 0; i < 20; ++i) list.push_back(random_correction(random));
    list[0].name = "Door \"slam\"";
    normalise(list);
    ASSERT_TRUE(save_corrections(list, scratch / "a.rivlen-corrections").ok());
    const auto back = load_corrections(scratch / "a.rivlen-corrections");
    ASSERT_TRUE(back.ok());
    EXPECT_TRUE(*back == list);
    ASSERT_TRUE(write_text_file(scratch / "b", "{\"rivlen_corrections\": 99, \"corrections\": []}").ok());
    EXPECT_EQ(load_corrections(scratch / "b").error().kind, ErrorKind::Unsupported);
    ASSERT_TRUE(write_text_file(scratch / "c", "[1, 2]").ok());
    EXPECT_EQ(load_corrections(scratch / "c").error().kind, ErrorKind::BadInput);
    EXPECT_EQ(load_corrections(scratch / "none").error().kind, ErrorKind::NotFound);
    // What is no correction is left out; numbers beyond their range are brought into it; ids are made unique.
    const auto odd = corrections_from_json(nlohmann::json::parse(R"([5, {"act": "none"},
        {"act": "give", "id": 3, "to": "music", "region": {"points": [[0, 100], [1, 200], "x"]}},
        {"act": "take_down", "id": 3, "take_down_db": 1e99, "region": {"points": [[0, 100], [1, 200]]}}])"));
    ASSERT_EQ(odd.size(), 2U);
    EXPECT_EQ(odd[0].to, Stem::Music);
    EXPECT_NE(odd[0].id, odd[1].id);
    EXPECT_EQ(odd[1].take_down_db, kMostTakeDownDb);
}

// The table of numbers: each reads what it wrote, within its range, and touches nothing else.
TEST(Corrections, EveryNumberIsReadAsItIsSet) {
    for (std::size_t i = 0; i < kCorrectionSettings; ++i) {
        const auto setting = static_cast<CorrectionSetting>(i);
        const ParameterInfo& p = info(setting);
        Correction c;
        EXPECT_EQ(value_of(c, setting), p.standard) << p.key;
        set_value(c, setting, p.highest);
        EXPECT_EQ(value_of(c, setting), p.highest) << p.key;
        set_value(c, setting, p.highest + 1e6);
        EXPECT_EQ(value_of(c, setting), p.highest) << p.key;
        set_value(c, setting, p.lowest - 1e6);
        EXPECT_EQ(value_of(c, setting), p.lowest) << p.key;
        for (std::size_t k = 0; k < kCorrectionSettings; ++k) {
            const auto other = static_cast<CorrectionSetting>(k);
            if (k == i) continue;
            EXPECT_EQ(value_of(c, other), info(other).standard) << p.key;
        }
    }
    Correction give;
    EXPECT_FALSE(acts_on(give, CorrectionSetting::TakeDown));
    EXPECT_FALSE(acts_on(give, CorrectionSetting::BrushTime));
    EXPECT_FALSE(acts_on(give, CorrectionSetting::Partial));
    EXPECT_TRUE(acts_on(give, CorrectionSetting::Strength));
    give.region.harmonics = true;
    give.region.shape = RegionShape::Brush;
    EXPECT_TRUE(acts_on(give, CorrectionSetting::Partial) && acts_on(give, CorrectionSetting::BrushPitch));
}

// A list that changes by one keeps what its fills have looked up; another region is looked up anew.
TEST(Corrections, FillsAreReadyFromTheListBefore) {
    const Correctable m(test::noise(static_cast<std::size_t>(3 * kRate), 8), {0.25F, 0.25F, 0.25F, 0.25F});
    std::vector<Correction> list = {correction(CorrectionAct::Fill, 1, 1.2, 100, 8000)};
    EXPECT_EQ(PreparedCorrections::new_fills(list, nullptr), 1U);
    const auto first = PreparedCorrections::prepare(list, *m.source, *m.map);
    ASSERT_TRUE(first.ok());
    normalise(list);
    EXPECT_EQ(PreparedCorrections::new_fills(list, first->get()), 0U);
    list.push_back(correction(CorrectionAct::Fill, 2, 2.2, 100, 8000));
    list.push_back(correction(CorrectionAct::Give, 2, 2.2, 100, 8000));
    normalise(list);
    EXPECT_EQ(PreparedCorrections::new_fills(list, first->get()), 1U);
    const auto with = PreparedCorrections::prepare(list, *m.source, *m.map, {}, first->get());
    const auto anew = PreparedCorrections::prepare(list, *m.source, *m.map);
    ASSERT_TRUE(with.ok() && anew.ok());
    std::array<float, kMaskRow> a, b;
    for (const double at : {100.0, 105.5, 190.0}) {
        m.map->read(at, a);
        b = a;
        (*with)->apply(at, a);
        (*anew)->apply(at, b);
        EXPECT_EQ(a, b);
    }
    EXPECT_TRUE((*with)->cuts_around(100));
    EXPECT_FALSE(PreparedCorrections::prepare({}, *m.source, *m.map)->get()->cuts());
}

// A region's figures: a full-scale sine is 0 dB by definition, and shares are the masks'.
TEST(RegionFacts, SayLevelAndShares) {
    const Correctable m(plain_tone(2000, 2, 0.5), {0.1F, 0.2F, 0.3F, 0.4F});
    Region region;
    region.points = {{0.5, 1500}, {1.5, 2500}};
    ASSERT_TRUE(normalise(region));
    const RegionFacts facts = facts_of(region, *m.source, m.map.get());
    EXPECT_NEAR(facts.level_dbfs.value(), db_of_amplitude(0.5), 0.2);
    EXPECT_NEAR(facts.share_percent[kAmbienceStem], 40, 1.5);
    EXPECT_NEAR(std::accumulate(facts.share_percent.begin(), facts.share_percent.end(), 0.0), 100, 0.01);
    EXPECT_NEAR(facts.cut_percent, 0, 0.01);
    region.points = {{0.5, 4000}, {1.5, 8000}};
    EXPECT_LT(facts_of(region, *m.source, nullptr).level_dbfs.value_or(-HUGE_VAL), -60);
    auto down = correction(CorrectionAct::TakeDown, 0, 2, 1000, 3000);
    down.take_down_db = 20;
    const MaskMap cut = m.with({down});
    region.points = {{0.5, 1500}, {1.5, 2500}};
    EXPECT_NEAR(facts_of(region, *m.source, &cut).cut_percent, 90, 0.5);  // 20 dB are 0.1 of the amplitude
}

// The same bang, twelve times, at other levels and under noise: all are found, nothing else is, and where
// they are.
TEST(RegionFacts, TheSameSoundIsFoundAgain) {
    auto sound = test::noise(static_cast<std::size_t>(40 * kRate), 21);
    for (float& x : sound) x *= 0.02F;
    std::vector<float> bang(static_cast<std::size_t>(0.3 * kRate));
    const auto noise = test::noise(bang.size(), 22);
    for (std::size_t i = 0; i < bang.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        bang[i] = static_cast<float>(std::exp(-t / 0.05) * std::sin(2 * std::numbers::pi * 180 * t) +
                                     0.5 * std::exp(-t / 0.01) * static_cast<double>(noise[i]));
    }
    std::vector<double> places;
    for (int k = 0; k < 13; ++k) {
        const double at = 1 + 3 * k + 0.137 * k;
        const double gain = 0.5 * amplitude_of_db(-2.0 * (k % 4));
        for (std::size_t i = 0; i < bang.size(); ++i) {
            const std::size_t to = static_cast<std::size_t>(at * kRate) + i;
            if (to < sound.size()) sound[to] += static_cast<float>(gain) * bang[i];
        }
        if (at + 0.3 < 40) places.push_back(at);
    }
    // Something else that is loud: a tone.
    const auto beep = plain_tone(1500, 0.4, 0.3);
    for (std::size_t i = 0; i < beep.size(); ++i) sound[static_cast<std::size_t>(2.5 * kRate) + i] += beep[i];
    const Correctable m(sound, {0, 0, 0, 1});
    Region region;
    region.points = {{places[0] - 0.03, 60}, {places[0] + 0.2, 6000}};
    ASSERT_TRUE(normalise(region));
    const auto found = similar_places(region, *m.source);
    ASSERT_TRUE(found.ok()) << found.error().message;
    ASSERT_EQ(found->size(), places.size() - 1);
    for (std::size_t i = 0; i < found->size(); ++i)
        EXPECT_NEAR((*found)[i].by_seconds, places[i + 1] - places[0], 1.5 / kMapFramesPerSecond);
    region.points = {{0, 60}, {20, 6000}};
    EXPECT_EQ(similar_places(region, *m.source).error().kind, ErrorKind::BadInput);
    const std::atomic<bool> stop{true};
    region.points = {{places[0] - 0.03, 60}, {places[0] + 0.2, 6000}};
    EXPECT_EQ(similar_places(region, *m.source, 0.6, {{}, &stop}).error().kind, ErrorKind::Cancelled);
}

}  // namespace
}  // namespace rivlen
