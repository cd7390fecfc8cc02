// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/music_parts.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/assessment/level_match.h"
#include "core/assessment/tradeoff.h"
#include "core/project/corrections_json.h"
#include "core/project/settings_json.h"
#include "core/separation/corrections.h"
#include "core/separation/shaper.h"
#include "core/separation/split.h"
#include "core/separation/timed.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr std::size_t kVoicesSound = sound_of(MusicPart::Voices), kDrumsSound = sound_of(MusicPart::Drums),
                      kBassSound = sound_of(MusicPart::Bass);

// A recording of noise with random masks, whose music opens into parts by other random masks.
struct OpenedNoise {
    OpenedNoise(int rate, int channels)
        : source(test::noise_source(scratch, rate, channels, 1.3)),
          closed(test::random_map(scratch, source)),
          map(*closed.opened(std::make_shared<const MaskMap>(test::random_map(scratch, source, 7)))) {}
    // Outputs of all channels, one after another.
    [[nodiscard]] std::vector<std::vector<float>> rendered(const MaskMap& masks,
                                                           std::span<const MaskWeights> weight_sets) const {
        std::vector<std::vector<float>> out(weight_sets.size());
        EXPECT_TRUE(render(source, masks, weight_sets, 0, static_cast<std::int64_t>(source.frames()), {},
                           [&](std::int64_t, std::span<const AudioBlock> blocks) {
                               for (std::size_t o = 0; o < out.size(); ++o) {
                                   for (std::size_t c = 0; c < blocks[o].channels(); ++c)
                                       out[o].insert(out[o].end(), blocks[o][c].begin(), blocks[o][c].end());
                               }
                               return Status{};
                           })
                        .ok());
        return out;
    }
    test::Scratch scratch;
    Source source;
    MaskMap closed, map;
};

// Highest sample of first - second - third - ..., in dBFS.
double left_dbfs(const std::vector<std::vector<float>>& sounds) {
    double highest = 0;
    for (std::size_t i = 0; i < sounds[0].size(); ++i) {
        auto left = static_cast<double>(sounds[0][i]);
        for (std::size_t s = 1; s < sounds.size(); ++s) left -= static_cast<double>(sounds[s][i]);
        highest = std::max(highest, std::abs(left));
    }
    return 20 * std::log10(highest + 1e-12);
}

constexpr double kRoundingDbfs = -115;

TEST(MusicParts, AddUpToTheMusicAtEveryRateAndAcrossChannels) {
    for (const int rate : {22050, 44100, 48000, 96000}) {
        for (const bool both_channels : {false, true}) {
            const OpenedNoise noise(rate, both_channels ? 2 : 1);
            ShapeSettings settings;
            settings.use_both_channels(both_channels);
            std::vector<MaskWeights> weight_sets = {sound_weights(settings, kMusicSound)};
            for (std::size_t p = kStems; p < kSounds; ++p) weight_sets.push_back(sound_weights(settings, p));
            const auto out = noise.rendered(noise.map, weight_sets);
            EXPECT_LT(left_dbfs(out), kRoundingDbfs) << rate << both_channels;
            EXPECT_GT(left_dbfs({out[0], out[1]}), -40);  // they are not nothing
            EXPECT_LT(measure_sum_dbfs(noise.source, noise.map, 0,
                                       static_cast<std::int64_t>(noise.source.frames())),
                      -110.0);
        }
    }
}

TEST(MusicParts, TheMusicIsTheSumOfItsPartsAsTheyAreSet) {
    const OpenedNoise noise(48000, 1);
    ShapeSettings settings;
    settings.stems[kMusicSound].set(Setting::Gain, -6);
    settings.stems[kVoicesSound].mute = true;
    settings.stems[kDrumsSound].set(Setting::Gain, 3);
    std::vector<MaskWeights> weight_sets = {sound_weights(settings, kMusicSound)};
    for (std::size_t p = kDrumsSound; p < kSounds; ++p) weight_sets.push_back(sound_weights(settings, p));
    EXPECT_LT(left_dbfs(noise.rendered(noise.map, weight_sets)), kRoundingDbfs);
}

TEST(MusicParts, MutedTheyAreMissingFromWhatIsKeptAndNothingElseIs) {
    const OpenedNoise noise(44100, 2);
    ShapeSettings settings;
    settings.stems[kVoicesSound].mute = true;
    EXPECT_FALSE(settings.neutral());
    EXPECT_TRUE(settings.sets_music_part());
    const std::array weight_sets = {whole_weights(), kept_weights(settings),
                                    sound_weights(ShapeSettings{}, kVoicesSound)};
    EXPECT_LT(left_dbfs(noise.rendered(noise.map, weight_sets)), kRoundingDbfs);
    // As long as the music is not opened, it sounds as a whole, and its parts are silent.
    const auto closed = noise.rendered(noise.closed, weight_sets);
    EXPECT_LT(left_dbfs({closed[0], closed[1]}), kRoundingDbfs);
    EXPECT_LT(left_dbfs({closed[2]}), kRoundingDbfs);
}

TEST(MusicParts, AreHeardByMuteAndSoloOfTheirsAndOfTheMusic) {
    ShapeSettings s;
    const auto heard = [&s] {
        std::string names;
        for (std::size_t i = 0; i < kSounds; ++i) names += s.audible(i) ? kSoundNames[i][0] : '-';
        return names;
    };
    EXPECT_EQ(heard(), "drmavdbr");
    s.stems[kDrumsSound].solo = true;
    EXPECT_EQ(heard(), "--m--d--");  // the music with its drums alone
    s.stems[kMusicSound].solo = true;
    EXPECT_EQ(heard(), "--m--d--");
    s.stems[kDrumsSound].solo = false;
    EXPECT_EQ(heard(), "--m-vdbr");
    s.stems[kBassSound].mute = true;
    EXPECT_EQ(heard(), "--m-vd-r");
    s.stems[kMusicSound].solo = false;
    s.stems[kMusicSound].mute = true;
    EXPECT_EQ(heard(), "dr-a----");
    s.stems[0].solo = true;
    EXPECT_EQ(heard(), "d-------");
}

TEST(MusicParts, MoveOverTimeByLinesAndRanges) {
    TimedSettings timed;
    put_point(timed.lines, kDrumsSound, Setting::Gain, {0, 0.0});
    put_point(timed.lines, kDrumsSound, Setting::Gain, {48000, -20.0});
    SettingsRange instrumental{100000, 200000, 0, {}};
    instrumental.settings.stems[kVoicesSound].mute = true;
    timed.ranges.push_back(instrumental);
    const TimedMaskWeights weight_sets(timed);
    EXPECT_NEAR(weight_sets.stem(kMusicSound, 24000).of(kDrumsSound)[9], std::pow(10, -0.5), 1e-4);
    EXPECT_NEAR(weight_sets.kept(48000).of(kDrumsSound)[9], 0.1, 1e-4);
    EXPECT_EQ(weight_sets.kept(48000).of(kVoicesSound)[9], 1.0F);
    EXPECT_EQ(weight_sets.kept(150000).of(kVoicesSound)[9], 0.0F);
    EXPECT_EQ(weight_sets.stem(kMusicSound, 150000).of(kVoicesSound)[9], 0.0F);
    EXPECT_EQ(weight_sets.kept(150000).of(kDrumsSound)[9], 1.0F);
}

TEST(MusicParts, IsolationLetsTheRestThroughAsWithStems) {
    StemSettings half;
    half.set(Setting::Isolation, 50);
    const MaskWeights drums = stem_weights(half, kDrumsSound);
    EXPECT_EQ(drums.of(kDrumsSound)[3], 1.0F);
    EXPECT_NEAR(drums.of(kBassSound)[3], rest_gain(50), 1e-6);
    EXPECT_NEAR(drums.of(0)[3], rest_gain(50), 1e-6);
    half.set(Setting::Isolation, 0);
    const OpenedNoise noise(48000, 1);
    const std::array weight_sets = {whole_weights(), stem_weights(half, kDrumsSound)};
    EXPECT_LT(left_dbfs(noise.rendered(noise.map, weight_sets)), kRoundingDbfs);
    // Figures of a part: more isolation, less leak.
    const auto assessment = Assessment::prepare(noise.source, noise.map, 0, 48000);
    ASSERT_TRUE(assessment.ok());
    const auto curve = assessment->curve(StemSettings{}, kDrumsSound, 5);
    EXPECT_LT(curve.back().bleed_db, curve.front().bleed_db - 6);
    EXPECT_GT(curve.back().damage, curve.front().damage);
    const auto match = measure_match(noise.source, &noise.map, {}, 0, 48000);
    ASSERT_TRUE(match.ok());
    EXPECT_TRUE(match->loudness_lufs[static_cast<std::size_t>(monitor_of_sound(kDrumsSound))].has_value());
}

TEST(MusicParts, OfOtherFramesOrChannelsAreRefused) {
    const OpenedNoise noise(48000, 1);
    const test::Scratch elsewhere;
    const auto other = test::noise_source(elsewhere, 48000, 1, 2.0);
    const auto wrong =
        noise.closed.opened(std::make_shared<const MaskMap>(test::random_map(elsewhere, other)));
    ASSERT_FALSE(wrong.ok());
    EXPECT_EQ(wrong.error().kind, ErrorKind::Mismatch);
    EXPECT_TRUE(noise.map.opened(nullptr).ok());
    EXPECT_FALSE(noise.map.opened(nullptr)->opens_music());
}

// ---- corrections

Correction give_everywhere(Stem to) {
    Correction c;
    c.act = CorrectionAct::Give;
    c.region.points = {{0.2, 20}, {0.9, 20000}};
    c.to = to;
    return c;
}

std::vector<float> masks_at(const OpenedNoise& noise, const Correction& correction, double seconds) {
    const auto map = corrected(noise.map, std::span(&correction, 1), noise.source);
    EXPECT_TRUE(map.ok());
    std::vector<float> masks(map->row_size());
    map->read(seconds * kModelRate / kModelHop, masks);
    return masks;
}

TEST(MusicParts, AreCorrectedAsStemsAre) {
    const OpenedNoise noise(48000, 1);
    constexpr std::size_t kBand = 60;  // 1.4 kHz
    const auto at = [](const std::vector<float>& masks, std::size_t sound) {
        return masks[sound * kBands + kBand];
    };
    std::vector<float> before(noise.map.row_size());
    noise.map.read(0.5 * kModelRate / kModelHop, before);

    Correction to_drums = give_everywhere(Stem::Music);
    to_drums.to_part = MusicPart::Drums;
    to_drums.from = {false, false, true, false};
    to_drums.from_parts = {true, false, false, false};
    auto now = masks_at(noise, to_drums, 0.5);
    EXPECT_EQ(at(now, kVoicesSound), 0.0F);
    EXPECT_NEAR(at(now, kDrumsSound), at(before, kDrumsSound) + at(before, kVoicesSound), 1e-6);
    EXPECT_NEAR(at(now, kMusicSound), at(before, kMusicSound), 1e-6);
    EXPECT_EQ(at(now, kBassSound), at(before, kBassSound));

    to_drums.from = {true, true, false, true};  // from the stems around it, but not from the music
    now = masks_at(noise, to_drums, 0.5);
    EXPECT_NEAR(at(now, kDrumsSound), at(before, kDrumsSound) + 1 - at(before, kMusicSound), 1e-5);
    EXPECT_EQ(at(now, kBassSound), at(before, kBassSound));

    // To the music as a whole: its parts share in it as they do.
    now = masks_at(noise, give_everywhere(Stem::Music), 0.5);
    EXPECT_NEAR(at(now, kMusicSound), 1, 1e-6);
    EXPECT_NEAR(at(now, kBassSound), at(before, kBassSound) / at(before, kMusicSound), 1e-5);

    // Away from the music.
    Correction to_voice = give_everywhere(Stem::Dialogue);
    to_voice.from_parts = {true, false, false, false};
    now = masks_at(noise, to_voice, 0.5);
    EXPECT_NEAR(at(now, 0), at(before, 0) + at(before, 1) + at(before, 3) + at(before, kVoicesSound), 1e-5);
    EXPECT_NEAR(at(now, kMusicSound), at(before, kMusicSound) - at(before, kVoicesSound), 1e-5);
}

// Whatever is done, parts add up to the music and everything to no more than one; of a map that is not
// opened, what is said of parts counts for the music.
TEST(MusicParts, StayPartsOfTheMusicWhateverIsCorrected) {
    const OpenedNoise noise(48000, 1);
    std::mt19937 random(5);
    for (int round = 0; round < 40; ++round) {
        std::vector<Correction> list;
        for (int i = 0; i < 3; ++i) {
            Correction c = give_everywhere(static_cast<Stem>(random() % kStems));
            c.act = static_cast<CorrectionAct>(random() % 3);  // fills are slow, and tested as masks above
            if (c.to == Stem::Music && random() % 2 == 0)
                c.to_part = static_cast<MusicPart>(random() % kMusicParts);
            for (bool& from : c.from) from = random() % 4 != 0;
            for (bool& from : c.from_parts) from = random() % 3 != 0;
            c.strength_percent = static_cast<double>(random() % 101);
            list.push_back(c);
        }
        for (const MaskMap& map : {noise.map, noise.closed}) {
            const auto with = corrected(map, list, noise.source);
            ASSERT_TRUE(with.ok());
            std::vector<float> masks(with->row_size());
            with->read(45, masks);
            for (std::size_t b = 0; b < kBands; ++b) {
                float all = 0, parts = 0;
                for (std::size_t s = 0; s < masks.size() / kBands; ++s) {
                    EXPECT_GE(masks[s * kBands + b], -1e-6F);
                    (is_music_part(s) ? parts : all) += masks[s * kBands + b];
                }
                EXPECT_LE(all, 1 + 1e-5F);
                if (with->opens_music()) {
                    EXPECT_NEAR(parts, masks[kMusicSound * kBands + b], 1e-5F);
                }
            }
        }
        std::vector<Correction> numbered = list;
        normalise(numbered);
        EXPECT_TRUE(corrections_from_json(corrections_to_json(numbered)) == numbered) << round;
    }
}

// ---- finding them

// Remembers the features that it is given.
class ListeningSeparator : public Separator {
  public:
    explicit ListeningSeparator(std::vector<float>& heard) : heard_(heard) {}
    class Worker : public MaskWorker {
      public:
        explicit Worker(std::vector<float>& heard) : heard_(heard) {}
        void begin(bool /*at_start*/) override {}
        Status push(std::span<const float> features, bool /*last*/, const Take& take) override {
            heard_.insert(heard_.end(), features.begin(), features.end());
            return take(std::vector<float>(features.size() / kFeatures * kMaskRow, 0.25F));
        }

      private:
        std::vector<float>& heard_;
    };
    [[nodiscard]] const ModelFacts& model() const override { return facts_; }
    [[nodiscard]] std::unique_ptr<MaskWorker> make_worker() const override {
        return std::make_unique<Worker>(heard_);
    }

  private:
    ModelFacts facts_{"listening", "0", 16, 0, {}};
    std::vector<float>& heard_;
};

TEST(MusicParts, AreFoundInWhatTheMasksLeaveOfTheMusic) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 6.0);
    const auto heard = [&](const MaskMap* music_of) {
        std::vector<float> features;
        SplitOptions options;
        options.workers = 1;
        options.music_of = music_of;
        EXPECT_TRUE(split(source, ListeningSeparator(features), scratch / "map", options, {}).ok());
        return features;
    };
    const auto plain = heard(nullptr);
    const auto all_music = test::even_map(scratch, source, {0, 0, 1, 0});
    EXPECT_EQ(heard(&all_music), plain);
    // Of a quarter everywhere the network sees the same: it looks at every passage at its own level.
    const auto quarter = test::even_map(scratch, source, {0.25F, 0.25F, 0.25F, 0.25F});
    const auto quarter_heard = heard(&quarter);
    ASSERT_EQ(quarter_heard.size(), plain.size());
    for (std::size_t i = 0; i < plain.size(); ++i) ASSERT_NEAR(quarter_heard[i], plain[i], 0.02F) << i;
    // Where one band in two is the music's, the others are silence to it: (m^2 p)^0.15 of power p.
    const auto random = test::random_map(scratch, source);
    const auto random_heard = heard(&random);
    std::vector<float> masks(kMaskRow);
    random.read(200, masks);
    const std::size_t row = std::size_t{200} * kFeatures;
    const auto ratio = [&](std::size_t band) { return random_heard[row + band] / plain[row + band]; };
    const float music_of_20 = masks[kMusicSound * kBands + 20],
                music_of_90 = masks[kMusicSound * kBands + 90];
    EXPECT_NEAR(ratio(20) / ratio(90), std::pow(music_of_20 / music_of_90, 0.3), 0.02);
}

// ---- in files

TEST(MusicParts, AreInFilesOnlyWhereTheyAreSet) {
    ShapeSettings settings;
    EXPECT_FALSE(settings_to_json(settings).contains("drums"));
    settings.stems[kDrumsSound].set(Setting::Gain, -4.5);
    settings.stems[kVoicesSound].mute = true;
    const auto json = settings_to_json(settings);
    EXPECT_TRUE(json.contains("drums"));
    EXPECT_FALSE(json.contains("bass"));
    EXPECT_EQ(settings_from_json(json), settings);
    std::vector<SettingLane> lines;
    put_point(lines, kBassSound, Setting::Gain, {10, -3});
    EXPECT_EQ(lines_from_json(nlohmann::json::parse(lines_to_json(lines).dump())), lines);
    EXPECT_EQ(sound_named("bass"), kBassSound);
    EXPECT_EQ(sound_named("basses"), std::size_t{kSounds});
}

}  // namespace
}  // namespace rivlen
