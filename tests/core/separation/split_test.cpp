// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/split.h"

#include <gtest/gtest.h>

#include <algorithm>

#include <bit>
#include <cmath>
#include <limits>

#include "core/assessment/overview.h"
#include "core/assessment/tradeoff.h"
#include "core/base/output_file.h"
#include "core/dsp/stft.h"
#include "core/separation/bands.h"
#include "core/separation/mask_map.h"
#include "core/separation/shaper.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

// Against std::pow, from digital silence to full scale.
TEST(CompressedPowers, EqualThePowerFunction) {
    std::vector<float> x;
    for (double p = 1e-13; p < 1e7; p *= 1.37) x.push_back(static_cast<float>(p));
    x.push_back(0.0F);
    auto y = x;
    compress_powers(y);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double expected = std::pow(static_cast<double>(x[i] + 1e-12F), 0.15);
        EXPECT_NEAR(static_cast<double>(y[i]), expected, 1e-6 * expected) << x[i];
    }
}

// The definition (docs/formats.md): code 255 is a mask of 1, each step a quarter of a decibel, rounded.
TEST(MaskCodes, AreTheRoundedLogarithm) {
    const auto expected = [](float mask) {
        const float code = 255.0F + 80.0F * std::log10(std::max(mask, 1e-9F));
        return static_cast<int>(std::clamp(std::lround(code), 0L, 255L));
    };
    for (std::uint32_t bits = 0; bits < 0x3F900000U; bits += 977)
        ASSERT_EQ(encode_mask(std::bit_cast<float>(bits)), expected(std::bit_cast<float>(bits))) << bits;
    for (const float odd : {-1.0F, 3.0F, 1.0F, 0.0F, 1e-30F, std::numeric_limits<float>::infinity()})
        EXPECT_EQ(encode_mask(odd), expected(odd)) << odd;
}

TEST(Stft, SynthesisReturnsTheSignal) {
    for (const int size : {256, 512, 2048, 8192}) {
        Stft stft(size);
        const auto signal = test::noise(20000, 5);
        const auto back = synthesise(stft, analyse(stft, signal), signal.size());
        float worst = 0;
        for (std::size_t i = 0; i < signal.size(); ++i)
            worst = std::max(worst, std::abs(back[i] - signal[i]));
        EXPECT_LT(worst, 3e-7F) << size;
    }
}

// The transform of a centred cosine under a known window, worked by hand: |X[k]| = amplitude / 2 * sum of the
// window.
TEST(Stft, CosineHasItsAmplitude) {
    Stft stft(1024);
    std::vector<float> x(1024);
    double window_sum = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        x[i] = static_cast<float>(0.5 * std::cos(2 * M_PI * 100.0 * static_cast<double>(i) / 1024.0));
        window_sum += std::sin(M_PI * static_cast<double>(i) / 1024.0);
    }
    std::vector<Complex> spectrum(513);
    stft.forward(x, spectrum);
    EXPECT_NEAR(std::abs(spectrum[100]), 0.25 * window_sum, 1e-2);
}

TEST(Bands, CoverEveryBinOnce) {
    const auto& edges = band_edges();
    EXPECT_EQ(edges.front(), 0);
    EXPECT_EQ(edges.back(), kModelBins);
    for (std::size_t b = 0; b < kBands; ++b) EXPECT_LT(edges[b], edges[b + 1]) << b;
    for (std::size_t k = 0; k < kModelBins; ++k) {
        const auto band = static_cast<std::size_t>(band_of_bin()[k]);
        EXPECT_GE(static_cast<int>(k), edges[band]);
        EXPECT_LT(static_cast<int>(k), edges[band + 1]);
    }
}

TEST(Bands, TheModelsOwnGridReadsExactly) {
    const auto reads = band_reads(kModelRate, kModelFft);
    for (std::size_t k = 0; k < kModelBins; ++k) {
        EXPECT_EQ(reads[k].low, band_of_bin()[k]);
        EXPECT_EQ(reads[k].part, 0.0F);
    }
    for (const int rate : {8000, 22050, 44100, 96000, 192000, 384000}) {
        for (const auto& read : band_reads(rate, 2048)) {
            EXPECT_GE(read.low, 0);
            EXPECT_LT(read.high, kBands);
        }
    }
}

TEST(Features, FiniteForSilenceDcAndFullScale) {
    for (const float value : {0.0F, 1.0F, 1e-38F}) {
        std::vector<Complex> spectrum(kModelBins, Complex(value * 1000.0F, 0));
        const std::array<std::span<const Complex>, 2> channels = {spectrum, spectrum};
        std::vector<float> row(kFeatures);
        frame_features(channels, row);
        normalise_features(row);
        for (const float x : row) ASSERT_TRUE(std::isfinite(x)) << value;
    }
}

// Against sums taken anew for every frame.
TEST(Bands, NormalisingFindsTheLevelAndWhatStays) {
    constexpr std::size_t kFrames = 900;
    const auto values = test::noise(kFrames * kFeatures, 3);
    std::vector<float> rows(values.size());
    std::ranges::transform(values, rows.begin(), [](float x) { return std::abs(x); });
    auto normalised = rows;
    normalise_features(normalised);
    for (const std::size_t t : {0UL, 5UL, 280UL, 281UL, 282UL, 450UL, 618UL, 700UL, 899UL}) {
        const std::size_t from = t > kLevelFrames ? t - kLevelFrames : 0;
        const std::size_t to = std::min(kFrames, t + kLevelFrames + 1);
        double level = 0;
        double stays = 0;
        constexpr std::size_t kBand = 77;
        for (std::size_t k = from; k < to; ++k) {
            for (std::size_t i = 0; i < 2 * kBands; ++i)
                level += static_cast<double>(rows[k * kFeatures + i]);
            stays += static_cast<double>(rows[k * kFeatures + kBand]);
        }
        const auto count = static_cast<double>(to - from);
        const double scale = 1.0 / (level / (count * 2 * kBands) + 1e-3);
        EXPECT_NEAR(normalised[t * kFeatures + kBand], rows[t * kFeatures + kBand] * scale, 1e-5) << t;
        EXPECT_NEAR(normalised[t * kFeatures + 2 * kBands + kBand], stays / count * scale, 1e-5) << t;
    }
}

// The error that docs/formats.md states for the map's codes.
TEST(MaskMap, CodesAreWithinAQuarterDecibelAndAddUp) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 2.0);
    const auto map = test::random_map(scratch, source);
    std::vector<float> masks(kMaskRow);
    double worst_sum = 0;
    for (std::uint64_t t = 0; t < map.facts().frames; ++t) {
        map.read(static_cast<double>(t), masks);
        for (std::size_t b = 0; b < kBands; ++b) {
            float sum = 0;
            for (std::size_t s = 0; s < kStems; ++s) sum += masks[s * kBands + b];
            worst_sum = std::max(worst_sum, std::abs(static_cast<double>(sum) - 1.0));
        }
    }
    EXPECT_LT(worst_sum, 1e-6);
    double worst_db = 0;
    std::vector<std::uint8_t> codes(kMaskRow);
    for (float m = 0.001F; m < 0.98F; m *= 1.013F) {
        const float rest = (1.0F - m) / 3.0F;
        for (std::size_t b = 0; b < kBands; ++b) {
            codes[b] = encode_mask(m);
            for (std::size_t s = 1; s < kStems; ++s) codes[s * kBands + b] = encode_mask(rest);
        }
        decode_masks(codes, masks);
        worst_db = std::max(worst_db, std::abs(20.0 * std::log10(static_cast<double>(masks[0] / m))));
    }
    EXPECT_LT(worst_db, 0.25);
    EXPECT_GT(worst_db, 0.01);  // it is a real rounding, not a copy
}

TEST(MaskMap, OfAnotherSourceIsRefused) {
    const Scratch scratch;
    const auto a = test::noise_source(scratch, 48000, 1, 1.0);
    const auto map = test::random_map(scratch, a);
    auto wrong = MaskMap::open(scratch / "random99.map", "0123");
    ASSERT_FALSE(wrong.ok());
    EXPECT_EQ(wrong.error().kind, ErrorKind::Mismatch);
    EXPECT_NE(wrong.error().message.find("another recording"), std::string::npos);
}

// A stand-in for the network: masks that depend on the features of the frame and its neighbours only.
class NeighbourSeparator : public Separator {
  public:
    static constexpr int kHalo = 16;  // it looks 9 frames to either side
    class Worker : public MaskWorker {
      public:
        void begin(bool at_start) override {
            seen_.clear();
            next_ = at_start ? 0 : kHalo;
        }
        Status push(std::span<const float> features, bool last, const Take& take) override {
            seen_.insert(seen_.end(), features.begin(), features.end());
            const std::size_t frames = seen_.size() / kFeatures;
            const std::size_t end = last ? frames : frames > kHalo ? frames - kHalo : 0;
            if (end <= next_) return {};
            std::vector<float> out((end - next_) * kMaskRow);
            for (std::size_t t = next_; t < end; ++t) {
                for (std::size_t b = 0; b < kBands; ++b) {
                    float sum = 0;
                    for (std::size_t k = t > 9 ? t - 9 : 0; k < std::min(frames, t + 10); ++k)
                        sum += seen_[k * kFeatures + b];
                    const float a = 0.5F + 0.49F * std::sin(sum);
                    const std::size_t at = (t - next_) * kMaskRow + b;
                    out[at] = a;
                    for (std::size_t s = 1; s < kStems; ++s) out[at + s * kBands] = (1 - a) / 3;
                }
            }
            next_ = end;
            return take(out);
        }

      private:
        std::vector<float> seen_;  // since begin()
        std::size_t next_ = 0;
    };
    [[nodiscard]] const ModelFacts& model() const override { return facts_; }
    [[nodiscard]] std::unique_ptr<MaskWorker> make_worker() const override {
        return std::make_unique<Worker>();
    }

  private:
    ModelFacts facts_{"neighbour", "0", 16, kHalo, {}};
};

TEST(Split, ChunksAndWorkersLeaveNoTrace) {
    const Scratch scratch;
    for (const int rate : {48000, 44100}) {
        const auto source = test::noise_source(scratch, rate, 2, 20.0);
        const NeighbourSeparator separator;
        const auto bytes = [&](const std::string& name, SplitOptions options) {
            const auto path = scratch / (name + std::to_string(rate));
            auto report = split(source, separator, path, options, {});
            EXPECT_TRUE(report.ok());
            return *read_text_file(path);
        };
        const auto whole = bytes("whole", {1, ChannelGrouping::Pairs, 100000, 0, {}});
        const auto one = bytes("one", {1, ChannelGrouping::Pairs, 250, 0, {}});
        EXPECT_EQ(
            one,
            bytes("three",
                  {3, ChannelGrouping::Pairs, 250, 0, {}}));  // bit for bit, whatever the number of workers
        ASSERT_EQ(whole.size(), one.size());
        int worst = 0;
        for (std::size_t i = 4096; i < whole.size(); ++i) {
            worst = std::max(worst, std::abs(static_cast<int>(static_cast<std::uint8_t>(whole[i])) -
                                             static_cast<int>(static_cast<std::uint8_t>(one[i]))));
        }
        EXPECT_LE(worst, 1) << rate;  // one code is a quarter of a decibel
    }
}

// What lies under the playhead is there first, while the rest still shares evenly; the whole is the same.
TEST(Split, BeginsWhereItIsWanted) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 20.0);
    const NeighbourSeparator separator;
    ASSERT_TRUE(
        split(source, separator, scratch / "plain", {1, ChannelGrouping::Pairs, 256, 0, {}}, {}).ok());
    const auto whole = MaskMap::open(scratch / "plain", source.hash());
    ASSERT_TRUE(whole.ok());
    constexpr std::uint64_t kWanted = 1290;
    std::vector<std::vector<bool>> there;
    SplitOptions options{1, ChannelGrouping::Pairs, 256, kWanted, {}};
    options.on_part = [&](MaskMapWriter& writer) {
        const auto map = writer.so_far();
        ASSERT_TRUE(map.ok()) << map.error().message;
        ASSERT_EQ(map->facts().frames, whole->facts().frames);
        there.emplace_back();
        for (std::uint64_t t = 0; t < map->facts().frames; ++t) {
            const bool zero = std::ranges::all_of(map->codes(t), [](auto code) { return code == 0; });
            there.back().push_back(!zero);
            ASSERT_EQ(map->has(t), !zero);
            if (!zero) {
                ASSERT_TRUE(std::ranges::equal(map->codes(t), whole->codes(t))) << t;
            }
        }
        // To the eye, what is not split yet has no share.
        const auto view = make_overview(source, &*map, 0, 480, 1);
        const bool shares = std::ranges::any_of(view.share, [](const auto& share) {
            return std::ranges::any_of(share, [](auto value) { return value != 0; });
        });
        ASSERT_EQ(shares, map->has(0));
        ASSERT_EQ(view.outline[0][0] > 0, map->has(0));
        std::array<float, kMaskRow> masks{};
        map->read(0, masks);
        if (!there.back()[0]) {
            ASSERT_EQ(masks[0], 0.25F);
        }
    };
    ASSERT_TRUE(split(source, separator, scratch / "wanted", options, {}).ok());
    ASSERT_EQ(there.size(), 7U);  // of eight chunks
    EXPECT_TRUE(there[0][kWanted]);
    EXPECT_TRUE(there[0][kWanted + 200]);
    EXPECT_FALSE(there[0][kWanted - 20]);
    EXPECT_FALSE(there[0][1600]);
    EXPECT_TRUE(there[1][1600]);
    EXPECT_FALSE(there[2][kWanted - 20]);  // what follows comes before what lies before
    EXPECT_TRUE(there[3][kWanted - 20]);
    EXPECT_FALSE(there[6][0]);
    EXPECT_EQ(*read_text_file(scratch / "plain"), *read_text_file(scratch / "wanted"));
    // Beyond the end is not the end of it.
    options = {2, ChannelGrouping::Pairs, 256, 1U << 20, {}};
    ASSERT_TRUE(split(source, separator, scratch / "far", options, {}).ok());
    EXPECT_EQ(*read_text_file(scratch / "plain"), *read_text_file(scratch / "far"));
}

TEST(ChannelGroups, OfAnyNumberOfChannels) {
    using Groups = std::vector<ChannelGroup>;
    EXPECT_EQ(channel_groups(6, ChannelGrouping::Together), (Groups{{0, 6}}));
    EXPECT_EQ(channel_groups(5, ChannelGrouping::Pairs), (Groups{{0, 2}, {2, 4}, {4, 5}}));
    EXPECT_EQ(channel_groups(3, ChannelGrouping::Alone), (Groups{{0, 1}, {1, 2}, {2, 3}}));
    EXPECT_EQ(channel_groups(2, ChannelGrouping::Pairs), (Groups{{0, 2}}));
    EXPECT_EQ(channel_groups(6, ChannelGrouping::Bed), (Groups{{0, 2}, {2, 3}, {3, 4}, {4, 6}}));
    EXPECT_EQ(channel_groups(12, ChannelGrouping::Bed),
              (Groups{{0, 2}, {2, 3}, {3, 4}, {4, 6}, {6, 8}, {8, 10}, {10, 12}}));
    EXPECT_EQ(channel_groups(5, ChannelGrouping::Bed), channel_groups(5, ChannelGrouping::Pairs));
    for (int channels = 1; channels <= 12; ++channels) {
        for (const auto how : {ChannelGrouping::Together, ChannelGrouping::Pairs, ChannelGrouping::Alone,
                               ChannelGrouping::Bed}) {
            const auto groups = channel_groups(channels, how);
            EXPECT_EQ(groups_of_count(channels, static_cast<int>(groups.size())), groups) << channels;
        }
    }
    EXPECT_EQ(groups_of_count(4, 3), (Groups{{0, 4}}));  // a map that does not fit still gives every channel
}

// Channels that are split each alone, or in pairs, get the masks and the stems that they would get from a
// recording of their own; together they do not. All stems add up to the source.
TEST(Split, ChannelsOfTheirOwn) {
    const Scratch scratch;
    test::Channels sound;
    for (unsigned c = 0; c < 4; ++c) sound.push_back(test::noise(48000 * 4, c + 1));
    for (auto& x : sound[2]) x *= 0.1F;
    const auto bring_in = [&](const std::string& name, const test::Channels& channels) {
        test::write_wav(scratch / name, channels, 48000);
        return Source::bring_in(scratch / name, scratch / "work").value();
    };
    const NeighbourSeparator separator;
    const auto map_of = [&](const Source& source, ChannelGrouping how) {
        SplitOptions options;
        options.channels = how;
        const auto path = map_path(source, separator.model(), how, scratch.folder());
        EXPECT_TRUE(split(source, separator, path, options, {}).ok());
        return MaskMap::open(path, source.hash()).value();
    };
    const std::array weights = {stem_weights(StemSettings{}, 0)};
    const auto dialogue = [&](const Source& source, const MaskMap& map, std::size_t channel) {
        std::vector<float> out;
        EXPECT_TRUE(render(source, map, weights, 0, static_cast<std::int64_t>(source.frames()), {},
                           [&](std::int64_t, auto blocks) {
                               out.insert(out.end(), blocks[0][channel].begin(), blocks[0][channel].end());
                               return Status{};
                           })
                        .ok());
        return out;
    };
    const auto all = bring_in("all.wav", sound);
    const auto third = bring_in("third.wav", {sound[2]});
    const auto last_two = bring_in("pair.wav", {sound[2], sound[3]});
    const auto alone = map_of(all, ChannelGrouping::Alone);
    const auto pairs = map_of(all, ChannelGrouping::Pairs);
    const auto together = map_of(all, ChannelGrouping::Together);
    EXPECT_EQ(alone.facts().groups, 4);
    EXPECT_EQ(pairs.facts().groups, 2);
    EXPECT_EQ(together.facts().groups, 1);
    EXPECT_EQ(alone.facts().frames, together.facts().frames);
    const auto third_map = map_of(third, ChannelGrouping::Pairs);
    const auto pair_map = map_of(last_two, ChannelGrouping::Pairs);
    for (std::uint64_t t = 0; t < third_map.facts().frames; ++t) {
        ASSERT_TRUE(std::ranges::equal(alone.codes(t, 2), third_map.codes(t))) << t;
        ASSERT_TRUE(std::ranges::equal(pairs.codes(t, 1), pair_map.codes(t))) << t;
    }
    EXPECT_EQ(dialogue(all, alone, 2), dialogue(third, third_map, 0));
    EXPECT_EQ(dialogue(all, pairs, 3), dialogue(last_two, pair_map, 1));
    EXPECT_NE(dialogue(all, together, 2), dialogue(third, third_map, 0));
    for (const auto* map : {&alone, &pairs, &together})
        EXPECT_LT(measure_sum_dbfs(all, *map, 0, static_cast<std::int64_t>(all.frames())), -120.0);
    // What is measured of the stems adds up to what is there, too.
    const auto view = make_overview(all, &alone, 0, 480, 100);
    int shares = 0;
    for (std::size_t s = 0; s < kStems; ++s) shares += view.share[s][kOverviewRows * 50 + 20];
    EXPECT_NEAR(shares, 255, 3);
    const auto assessment = Assessment::prepare(all, alone, 0, 48000, {});
    ASSERT_TRUE(assessment.ok());
    const auto trade = assessment->measure(weights[0], 0);
    EXPECT_LT(trade.own_db, -1.0);
    EXPECT_GT(trade.own_db, -20.0);
}

TEST(Split, CancelLeavesNothing) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 5.0);
    const std::atomic<bool> cancel{true};
    auto report = split(source, NeighbourSeparator(), scratch / "x.map", {}, {{}, &cancel});
    ASSERT_FALSE(report.ok());
    EXPECT_EQ(report.error().kind, ErrorKind::Cancelled);
    EXPECT_FALSE(std::filesystem::exists(scratch / "x.map"));
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(Separator, MissingEngineOrModelIsASentence) {
    auto missing = load_separator("/nowhere/engine.so", "/nowhere/model.safetensors");
    ASSERT_FALSE(missing.ok());
    EXPECT_EQ(missing.error().kind, ErrorKind::NotFound);
}

}  // namespace
}  // namespace rivlen
