// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/channel_filter.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/project/settings_json.h"
#include "core/separation/shaper.h"
#include "core/separation/split.h"
#include "learn/metrics/si_sdr.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;
using test::Scratch;

using test::kRate;
constexpr std::size_t kVoice = 0, kMusic = 2;

ShapeSettings both() {
    ShapeSettings settings;
    settings.use_both_channels(true);
    return settings;
}

std::array<Channels, kStems> neutral_stems(const Source& source, const MaskMap& map,
                                           const ShapeSettings& settings, std::int64_t first,
                                           std::int64_t last) {
    std::array<MaskWeights, kStems> weight_sets;
    for (std::size_t s = 0; s < kStems; ++s) weight_sets[s] = stem_weights(settings.stems[s], s);
    std::array<Channels, kStems> out;
    for (auto& stem : out) stem.resize(static_cast<std::size_t>(source.channels()));
    const Status status = render(source, map, weight_sets, first, last, {}, [&](std::int64_t, auto blocks) {
        for (std::size_t s = 0; s < kStems; ++s) {
            for (std::size_t c = 0; c < out[s].size(); ++c)
                out[s][c].insert(out[s][c].end(), blocks[s][c].begin(), blocks[s][c].end());
        }
        return Status{};
    });
    EXPECT_TRUE(status.ok());
    return out;
}
std::array<Channels, kStems> neutral_stems(const Source& source, const MaskMap& map,
                                           const ShapeSettings& settings) {
    return neutral_stems(source, map, settings, 0, static_cast<std::int64_t>(source.frames()));
}

// Two noises, one more to the left and one more to the right, in turns: the first alone, the second alone,
// both. The map knows when each is alone, and not more.
struct TwoPlaces {
    Scratch scratch;
    Channels first, second;  // as they are in the mix
    Source source;
    MaskMap map;

    static constexpr std::size_t kTurn = kRate / 5, kFrames = 15 * kTurn;
    enum Turn { FirstAlone, SecondAlone, Both };
    static Turn turn_at(std::size_t frame) { return static_cast<Turn>(frame / kTurn % 3); }

    static Channels placed(unsigned seed, Turn silent, float left, float right) {
        auto sound = test::noise(kFrames, seed);
        for (std::size_t i = 0; i < kFrames; ++i) {
            if (turn_at(i) == silent) sound[i] = 0.0F;
        }
        Channels out(2, sound);
        for (float& v : out[0]) v *= left;
        for (float& v : out[1]) v *= right;
        return out;
    }
    static Source mixed(const Scratch& scratch, const Channels& a, const Channels& b) {
        Channels mix = a;
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < kFrames; ++i) mix[c][i] += b[c][i];
        }
        test::write_wav(scratch / "mix.wav", mix, kRate);
        auto source = Source::bring_in(scratch / "mix.wav", scratch / "work");
        return std::move(*source);
    }
    static MaskMap known(const Scratch& scratch, const Source& source) {
        const auto frames = map_frames(source);
        std::vector<float> masks(frames * kMaskRow, 0.0F);
        for (std::size_t t = 0; t < frames; ++t) {
            const Turn turn = turn_at(t * kModelHop);
            for (std::size_t b = 0; b < kBands; ++b) {
                float* row = masks.data() + t * kMaskRow + b;
                row[kVoice * kBands] = turn == FirstAlone ? 1.0F : turn == Both ? 0.5F : 0.0F;
                row[kMusic * kBands] = 1.0F - row[kVoice * kBands];
            }
        }
        auto writer = MaskMapWriter::create(scratch / "known.map", {source.hash(), "known", frames});
        EXPECT_TRUE(writer && writer->write(0, masks) && writer->commit());
        auto map = MaskMap::open(scratch / "known.map", source.hash());
        return std::move(*map);
    }
    TwoPlaces()
        : first(placed(1, SecondAlone, 0.9F, 0.3F)),
          second(placed(2, FirstAlone, 0.3F, 0.9F)),
          source(mixed(scratch, first, second)),
          map(known(scratch, source)) {}
};

// The promise that stems add up holds with the filter as without it, at every rate.
TEST(ChannelFilter, StemsStillAddUpToTheSource) {
    for (const int rate : {8000, 22050, 44100, 48000, 96000}) {
        const Scratch scratch;
        const auto source = test::noise_source(scratch, rate, 2, 1.3);
        const auto map = test::random_map(scratch, source);
        const auto stems = neutral_stems(source, map, both());
        const auto plain = neutral_stems(source, map, {});
        double filtered_differs = 0;
        for (int c = 0; c < 2; ++c) {
            std::vector<float> original(source.frames());
            source.read(c, 0, original);
            const auto at = static_cast<std::size_t>(c);
            for (std::size_t i = 0; i < original.size(); ++i) {
                float sum = 0.0F;
                for (const auto& stem : stems) sum += stem[at][i];
                ASSERT_NEAR(sum, original[i], 4e-6F) << rate << " " << i;
                filtered_differs = std::max(filtered_differs,
                                            static_cast<double>(std::abs(stems[0][at][i] - plain[0][at][i])));
            }
        }
        EXPECT_GT(filtered_differs, 1e-3) << rate;  // and the filter does something
    }
}

// Where two sounds overlap and the masks cannot tell them apart, their directions do. Masks of one half give
// each the other at its full level, -9.5 dB in the channel where the other is louder; the filter has to win
// 12 dB there and 3 dB in the other channel (floors of ours: two sounds and two channels could be parted
// wholly).
TEST(ChannelFilter, PartsWhatMasksCannotByDirection) {
    const TwoPlaces two;
    const auto with = neutral_stems(two.source, two.map, both());
    const auto without = neutral_stems(two.source, two.map, {});
    const auto over_both = [](const Channels& x, std::size_t c) {  // the turns in which both sound
        std::vector<float> out;
        for (std::size_t turn = 5; turn < 12; turn += 3) {
            const auto from = x[c].begin() + static_cast<std::ptrdiff_t>(turn * TwoPlaces::kTurn + 2048);
            out.insert(out.end(), from, from + TwoPlaces::kTurn - 4096);
        }
        return out;
    };
    const auto gain = [&](const std::array<Channels, kStems>& stems, std::size_t stem, const Channels& truth,
                          std::size_t channel) {
        return si_sdr_db(over_both(stems[stem], channel), over_both(truth, channel));
    };
    // Each in the channel where the other is louder by 9.5 dB.
    EXPECT_LT(gain(without, kVoice, two.first, 1), -9.0);
    EXPECT_LT(gain(without, kMusic, two.second, 0), -9.0);
    EXPECT_GT(gain(with, kVoice, two.first, 1), 3.0);
    EXPECT_GT(gain(with, kMusic, two.second, 0), 3.0);
    EXPECT_GT(gain(with, kVoice, two.first, 0), gain(without, kVoice, two.first, 0) + 3.0);
}

// What is around a bang that was filled comes out as if the recording had come like this: the filter does not
// look at the direction of what was cut.
TEST(ChannelFilter, DoesNotHearWhatWasFilled) {
    const TwoPlaces places;
    constexpr std::size_t kBang = 8 * TwoPlaces::kTurn + TwoPlaces::kTurn / 2;  // while both sound
    constexpr std::size_t kLong = kRate / 10;
    Channels with_bang = places.first;
    const auto bang = test::noise(kLong, 3);
    for (std::size_t i = 0; i < kLong; ++i) with_bang[0][kBang + i] += 20.0F * bang[i];
    const Source source = TwoPlaces::mixed(places.scratch, with_bang, places.second);
    const MaskMap map = TwoPlaces::known(places.scratch, source);
    Correction fill;
    fill.act = CorrectionAct::Fill;
    const auto seconds = [](std::size_t frame) { return static_cast<double>(frame) / kRate; };
    fill.region.points = {{seconds(kBang) - 0.005, 20}, {seconds(kBang + kLong) + 0.005, 24000}};
    const auto filled = corrected(map, std::vector{fill}, source);
    ASSERT_TRUE(filled) << filled.error().message;
    Channels came_like_this(2, std::vector<float>(source.frames()));
    for (std::size_t c = 0; c < 2; ++c) {
        source.read(static_cast<int>(c), 0, came_like_this[c]);
        filled->add_fills(static_cast<int>(c), 0, came_like_this[c]);
    }
    const Channels nothing(2, std::vector<float>(source.frames()));
    const Source without = TwoPlaces::mixed(places.scratch, came_like_this, nothing);
    const auto first = static_cast<std::int64_t>(kBang) - kRate / 4, last = first + kRate / 5;
    const auto wanted = neutral_stems(without, map, both(), first, last)[kVoice][0];
    EXPECT_GT(si_sdr_db(neutral_stems(source, *filled, both(), first, last)[kVoice][0], wanted), 45.0);
    EXPECT_LT(si_sdr_db(neutral_stems(source, map, both(), first, last)[kVoice][0], wanted), 40.0);
}

// Two equal channels hold no directions: the gains alone decide, to within 60 dB below the sound.
TEST(ChannelFilter, LeavesEqualChannelsToTheMasks) {
    const Scratch scratch;
    Channels equal(2, test::noise(kRate, 5));
    test::write_wav(scratch / "equal.wav", equal, kRate);
    const auto source = Source::bring_in(scratch / "equal.wav", scratch / "work");
    ASSERT_TRUE(source.ok());
    const auto map = test::random_map(scratch, *source);
    const auto with = neutral_stems(*source, map, both());
    const auto without = neutral_stems(*source, map, {});
    for (std::size_t s = 0; s < kStems; ++s) {
        for (std::size_t i = 0; i < with[s][0].size(); ++i)
            ASSERT_NEAR(with[s][0][i], without[s][0][i], 1e-4F) << s << " " << i;
    }
}

TEST(ChannelFilter, StartingInTheMiddleGivesTheSameSamples) {
    const TwoPlaces two;
    const auto whole = neutral_stems(two.source, two.map, both());
    const auto part = neutral_stems(two.source, two.map, both(), 50001, 61000);
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < part[0][c].size(); ++i)
            ASSERT_EQ(part[kMusic][c][i], whole[kMusic][c][50001 + i]) << c << " " << i;
    }
}

TEST(ChannelFilter, NoIsolationIsTheSourceBitForBit) {
    const TwoPlaces two;
    ShapeSettings settings = both();
    settings.stems[kVoice].set(Setting::Isolation, 0);
    const auto stems = neutral_stems(two.source, two.map, settings);
    std::vector<float> original(two.source.frames());
    two.source.read(0, 0, original);
    EXPECT_EQ(stems[kVoice][0], original);
}

// One choice for all stems, in files too: a file that has it for some only could not say so.
TEST(ChannelFilter, TheChoiceIsSavedAndHoldsForAllStems) {
    const ShapeSettings settings = both();
    EXPECT_EQ(settings_from_json(settings_to_json(settings)), settings);
    EXPECT_FALSE(settings_from_json(settings_to_json({})).both_channels());
    EXPECT_EQ(kept_weights(settings).both_channels, 1.0F);
    const MaskWeights half = blend(stem_weights({}, 0), stem_weights(settings.stems[0], 0), 0.5F);
    EXPECT_EQ(half.both_channels, 0.5F);
}

}  // namespace
}  // namespace rivlen
