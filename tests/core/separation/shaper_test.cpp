// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/shaper.h"

#include <gtest/gtest.h>

#include <cmath>

#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

test::Channels rendered(const Source& source, const MaskMap& map, const MaskWeights& weights) {
    test::Channels out(static_cast<std::size_t>(source.channels()));
    const std::array weight_sets = {weights};
    const Status status =
        render(source, map, weight_sets, 0, static_cast<std::int64_t>(source.frames()), {},
               [&](std::int64_t, auto blocks) {
                   for (std::size_t c = 0; c < out.size(); ++c)
                       out[c].insert(out[c].end(), blocks[0][c].begin(), blocks[0][c].end());
                   return Status{};
               });
    EXPECT_TRUE(status.ok());
    return out;
}

double level(const std::vector<float>& x) {
    double sum = 0;
    for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
    return 10 * std::log10(sum / static_cast<double>(x.size()) + 1e-30);
}

// The promise of the whole program, at every rate and channel count.
TEST(Shaper, NeutralStemsAddUpToTheSource) {
    for (const int rate : {8000, 11025, 22050, 44100, 48000, 96000, 192000, 384000}) {
        for (const int channels : {1, 2}) {
            const Scratch scratch;
            const auto source = test::noise_source(scratch, rate, channels, 1.3);
            const auto map = test::random_map(scratch, source);
            EXPECT_LT(measure_sum_dbfs(source, map, 0, static_cast<std::int64_t>(source.frames())), -110.0)
                << rate << " " << channels;
        }
    }
}

TEST(Shaper, NoIsolationIsTheSourceBitForBit) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 44100, 2, 1.0);
    const auto map = test::random_map(scratch, source);
    StemSettings settings;
    settings.set(Setting::Isolation, 0);
    const auto out = rendered(source, map, stem_weights(settings, 0));
    std::vector<float> original(source.frames());
    for (int c = 0; c < 2; ++c) {
        source.read(c, 0, original);
        EXPECT_EQ(out[static_cast<std::size_t>(c)], original);
    }
}

TEST(Shaper, FloorLimitsWhatIsTakenAway) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 2.0);
    const auto map = test::random_map(scratch, source);
    std::vector<float> original(source.frames());
    source.read(0, 0, original);
    StemSettings settings;
    settings.set_on(Setting::Floor, true);
    double before = -1000;
    for (const double floor_db : {-60.0, -24.0, -12.0, -3.0, 0.0}) {
        settings.set(Setting::Floor, floor_db);
        const auto out = rendered(source, map, stem_weights(settings, 1));
        EXPECT_GE(level(out[0]), level(original) + floor_db - 0.1);
        EXPECT_GE(level(out[0]), before);
        before = level(out[0]);
    }
    EXPECT_NEAR(before, level(original), 0.01);
}

TEST(Shaper, StartingInTheMiddleGivesTheSameSamples) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 1.0);
    const auto map = test::random_map(scratch, source);
    const auto whole = rendered(source, map, stem_weights(StemSettings{}, 2));
    const std::array weight_sets = {stem_weights(StemSettings{}, 2)};
    std::vector<float> part;
    ASSERT_TRUE(render(source, map, weight_sets, 10001, 20003, {}, [&](std::int64_t, auto blocks) {
                    part.insert(part.end(), blocks[0][0].begin(), blocks[0][0].end());
                    return Status{};
                }).ok());
    ASSERT_EQ(part.size(), 10002U);
    for (std::size_t i = 0; i < part.size(); ++i) ASSERT_NEAR(part[i], whole[0][10001 + i], 1e-6F);
}

TEST(Settings, IsolationComesDownEvenlyToTheEar) {
    EXPECT_EQ(rest_gain(0), 1.0);
    EXPECT_EQ(rest_gain(100), 0.0);
    double before = 1.0;
    for (int p = 10; p <= 70; p += 10) {
        const double step_db = 20 * std::log10(rest_gain(p) / before);
        EXPECT_LT(step_db, -3.9) << p;
        EXPECT_GT(step_db, -5.8) << p;
        before = rest_gain(p);
    }
}

TEST(Settings, SoloAndMuteDecideWhatIsKept) {
    ShapeSettings settings;
    EXPECT_TRUE(kept_weights(settings).passes_all());
    EXPECT_TRUE(settings.neutral());
    settings.stems[2].mute = true;
    for (std::size_t s = 0; s < kStems; ++s)
        EXPECT_EQ(kept_weights(settings).weight[s][7], s == 2 ? 0.0F : 1.0F);
    settings.stems[0].solo = true;
    settings.stems[0].set(Setting::Isolation, 50);
    const auto weights = kept_weights(settings);
    EXPECT_EQ(weights.weight[0][7], 1.0F);
    EXPECT_NEAR(weights.weight[3][7], rest_gain(50), 1e-6);
    // Stems that let everything through do not add up to more than the source.
    for (auto& stem : settings.stems) {
        stem = {};
        stem.set(Setting::Isolation, 0);
    }
    EXPECT_TRUE(kept_weights(settings).passes_all());
}

}  // namespace
}  // namespace rivlen
