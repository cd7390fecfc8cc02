// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>
#include <mysofa.h>

#include <cmath>
#include <fstream>
#include <random>

#include "core/dsp/decibels.h"
#include "core/space/binaural.h"
#include "core/space/spherical_harmonics.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr int kKemarRate = 44100;  // of the set itself

const HeadResponses& kemar() {
    static const auto opened = HeadResponses::open(HeadResponses::standard_set(), kKemarRate);
    return opened.value();
}

double ear_level_db(std::span<const float> x) {
    return db_of_power(energy_of(x));
}

// Frames by which the right ear hears later than the left, by the highest correlation.
int right_later_by(const HeadResponses::Ears& ears) {
    int best = 0;
    double most = -1;
    for (int lag = -60; lag <= 60; ++lag) {
        double sum = 0;
        for (int i = 0; i < static_cast<int>(ears.left.size()); ++i) {
            if (i + lag < 0 || i + lag >= static_cast<int>(ears.right.size())) continue;
            sum += static_cast<double>(ears.left[static_cast<std::size_t>(i)]) *
                   static_cast<double>(ears.right[static_cast<std::size_t>(i + lag)]);
        }
        if (sum > most) {
            most = sum;
            best = lag;
        }
    }
    return best;
}

// Woodworth's spherical head: 8.75 cm (angle + sin angle) / c, 0.26 ms at 30 degrees and 0.66 ms at 90 (from
// memory).
TEST(HeadResponses, HaveTheTimeAndLevelDifferencesOfAHead) {
    for (const double azimuth : {-90.0, -30.0, 30.0, 90.0}) {
        const auto ears = kemar().at({azimuth, 0});
        const double angle = radians(azimuth);
        const double expected_ms = 0.0875 / 343 * (angle + std::sin(angle)) * 1000;
        EXPECT_NEAR(right_later_by(ears) * 1000.0 / kKemarRate, expected_ms, 0.1) << azimuth;
        EXPECT_GT((ear_level_db(ears.left) - ear_level_db(ears.right)) * (azimuth > 0 ? 1 : -1), 4)
            << azimuth;
    }
    const auto ahead = kemar().at({0, 0});
    EXPECT_EQ(right_later_by(ahead), 0);
    EXPECT_NEAR(ear_level_db(ahead.left), ear_level_db(ahead.right), 1.5);
}

// Against the file itself, read without any of our code: a measured direction gives its measured response.
TEST(HeadResponses, AreThoseOfTheSetWhereItWasMeasured) {
    int failed = 0;
    MYSOFA_HRTF* set = mysofa_load(HeadResponses::standard_set().c_str(), &failed);
    ASSERT_NE(set, nullptr);
    int compared = 0;
    for (unsigned m = 0; m < set->M; m += 37) {
        const float* place =
            set->SourcePosition.values + static_cast<std::size_t>(m) * set->C;  // degrees, metres
        const auto ears = kemar().at({static_cast<double>(place[0]), static_cast<double>(place[1])});
        const std::span<const float> measured(
            set->DataIR.values + static_cast<std::size_t>(m) * set->R * set->N, set->N);
        double both = 0, ours = 0, theirs = 0;
        for (std::size_t i = 0; i < measured.size(); ++i) {
            both += static_cast<double>(ears.left[i]) * static_cast<double>(measured[i]);
            ours += std::pow(static_cast<double>(ears.left[i]), 2);
            theirs += std::pow(static_cast<double>(measured[i]), 2);
        }
        EXPECT_GT(both / std::sqrt(ours * theirs), 0.999) << place[0] << " " << place[1];
        ++compared;
    }
    EXPECT_GT(compared, 10);
    mysofa_free(set);
}

TEST(HeadResponses, RefuseWhatIsNone) {
    EXPECT_EQ(HeadResponses::open("/nowhere.sofa", 48000).error().kind, ErrorKind::NotFound);
    const test::Scratch folder;
    std::ofstream(folder / "text.sofa") << "not a set";
    const auto refused = HeadResponses::open(folder / "text.sofa", 48000);
    ASSERT_FALSE(refused.ok());
    EXPECT_EQ(refused.error().kind, ErrorKind::BadInput);
}

TEST(StereoConvolvers, ConvolveAsTheSumSaysInBlocksOfTheirOwn) {
    std::mt19937 random(5);
    std::normal_distribution<float> some(0, 1);
    std::vector<StereoConvolver::Responses> responses(3);
    for (auto& r : responses) {
        r.left.resize(700);
        r.right.resize(130);
        for (auto* side : {&r.left, &r.right}) {
            for (float& x : *side) x = some(random);
        }
    }
    constexpr std::size_t kBlocks = 6, kFrames = kBlocks * StereoConvolver::kBlock;
    std::vector<std::vector<float>> in(3, std::vector<float>(kFrames));
    for (auto& channel : in) {
        for (float& x : channel) x = some(random);
    }
    StereoConvolver convolver(responses);
    for (int round = 0; round < 2; ++round) {  // the second as the first
        convolver.reset();
        std::vector<float> left(kFrames), right(kFrames);
        for (std::size_t b = 0; b < kBlocks; ++b) {
            convolver.process(
                ChannelBlock(in, kFrames).subblock(b * StereoConvolver::kBlock, StereoConvolver::kBlock),
                std::span(left).subspan(b * StereoConvolver::kBlock, StereoConvolver::kBlock),
                std::span(right).subspan(b * StereoConvolver::kBlock, StereoConvolver::kBlock));
        }
        for (std::size_t i = 0; i < kFrames; i += 37) {
            double expected = 0;
            for (std::size_t c = 0; c < in.size(); ++c) {
                for (std::size_t k = 0; k <= std::min(i, responses[c].left.size() - 1); ++k)
                    expected += static_cast<double>(responses[c].left[k]) * static_cast<double>(in[c][i - k]);
            }
            EXPECT_NEAR(static_cast<double>(left[i]), expected, 2e-4 * std::sqrt(3 * 700)) << i;
        }
    }
}

// A source of fifth order, heard through the virtual loudspeakers, has the level and time differences of the
// measured responses of its direction.
TEST(BinauralResponses, OfAmbisonicsAreThoseOfTheDirection) {
    const auto responses = binaural_responses(kemar(), Layout::Ambisonics5, {{}, DecoderWeights::Basic});
    ASSERT_EQ(responses.size(), 36U);
    std::vector<double> y(36);
    for (const double azimuth : {-90.0, -40.0, 0.0, 25.0, 90.0}) {
        spherical_harmonics({azimuth, 0}, y);
        HeadResponses::Ears heard{std::vector<float>(responses[0].left.size()),
                                  std::vector<float>(responses[0].left.size())};
        for (std::size_t k = 0; k < 36; ++k) {
            for (std::size_t i = 0; i < heard.left.size(); ++i) {
                heard.left[i] += static_cast<float>(y[k]) * responses[k].left[i];
                heard.right[i] += static_cast<float>(y[k]) * responses[k].right[i];
            }
        }
        const auto measured = kemar().at({azimuth, 0});
        // Below 2 kHz (about order times c over the head's circumference) the order suffices; a mean over 22
        // samples, twice, keeps what lies there.
        const auto smoothed = [](std::vector<float> x) {
            constexpr std::size_t kMean = 22;
            std::vector<float> out(x.size());
            for (std::size_t i = kMean; i < x.size(); ++i) {
                for (std::size_t k = 0; k < kMean; ++k) out[i] += x[i - k] / kMean;
            }
            return out;
        };
        const HeadResponses::Ears low{smoothed(smoothed(heard.left)), smoothed(smoothed(heard.right))};
        const HeadResponses::Ears low_measured{smoothed(smoothed(measured.left)),
                                               smoothed(smoothed(measured.right))};
        EXPECT_NEAR(right_later_by(low), right_later_by(low_measured), 2) << azimuth;
        EXPECT_NEAR(ear_level_db(low.left) - ear_level_db(low.right),
                    ear_level_db(low_measured.left) - ear_level_db(low_measured.right), 1.5)
            << azimuth;
    }
}

TEST(BinauralResponses, OfLoudspeakersAreHeardFromWhereTheyStand) {
    const auto responses = binaural_responses(kemar(), Layout::Surround51);
    ASSERT_EQ(responses.size(), 6U);
    EXPECT_EQ(responses[4].left, kemar().at({110, 0}).left);
    EXPECT_EQ(responses[5].right, kemar().at({-110, 0}).right);
    EXPECT_EQ(responses[3].left, std::vector<float>{0});  // LFE, left out as in the fold-down
    ConversionSettings with_lfe;
    with_lfe.fold_down.lfe_db = 0;
    EXPECT_EQ(binaural_responses(kemar(), Layout::Surround51, with_lfe)[3].right, std::vector<float>{1});
}

}  // namespace
}  // namespace rivlen
