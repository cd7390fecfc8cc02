// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>
#include <spatialaudio/Ambisonics.h>

#include <cmath>
#include <random>

#include "core/space/amplitude_panning.h"
#include "core/space/conversion.h"
#include "core/space/field_map.h"
#include "core/space/quadrature.h"
#include "core/space/spherical_harmonics.h"

namespace rivlen {
namespace {

constexpr std::size_t kFifthOrder = 36;

// SN3D: the mean over the sphere of a product of two harmonics is 1 / (2n + 1) or nothing (AmbiX, section 2).
TEST(SphericalHarmonics, AreOrthogonalWithTheNormOfTheirConvention) {
    std::vector<double> sums(kFifthOrder * kFifthOrder), y(kFifthOrder);
    for (const auto& node : sphere_grid(12, 24)) {
        spherical_harmonics(node.direction, y);
        for (std::size_t i = 0; i < kFifthOrder; ++i) {
            for (std::size_t j = 0; j < kFifthOrder; ++j)
                sums[i * kFifthOrder + j] += node.weight * y[i] * y[j];
        }
    }
    for (std::size_t i = 0; i < kFifthOrder; ++i) {
        for (std::size_t j = 0; j < kFifthOrder; ++j) {
            const double expected = i == j ? 1.0 / (2 * order_of_channel(i) + 1) : 0;
            EXPECT_NEAR(sums[i * kFifthOrder + j], expected, 1e-12) << i << " " << j;
        }
    }
}

// First order by its definition: W 1, Y sin az cos el, Z sin el, X cos az cos el.
TEST(SphericalHarmonics, OfFirstOrderAreTheAxes) {
    std::vector<double> y(4);
    const Direction d{50, -20};
    spherical_harmonics(d, y);
    const Vector3 v = unit_vector(d);
    EXPECT_NEAR(y[0], 1, 1e-12);
    EXPECT_NEAR(y[1], v[1], 1e-12);
    EXPECT_NEAR(y[2], v[2], 1e-12);
    EXPECT_NEAR(y[3], v[0], 1e-12);
}

// libspatialaudio 0.3 as Debian has it: a source's coefficients for orders 1 to 3 (ACN, SN3D).
TEST(SphericalHarmonics, AreThoseOfAnotherLibrary) {
    for (unsigned order = 1; order <= 3; ++order) {
        CAmbisonicEncoder encoder;
        ASSERT_TRUE(encoder.Configure(order, true, 0));
        std::vector<double> y((order + 1) * (order + 1));
        for (const auto& node : sphere_grid(5, 8)) {
            PolarPoint place{};
            place.fAzimuth = static_cast<float>(radians(node.direction.azimuth_deg));
            place.fElevation = static_cast<float>(radians(node.direction.elevation_deg));
            place.fDistance = 1;
            encoder.SetPosition(place);
            encoder.Refresh();
            spherical_harmonics(node.direction, y);
            for (unsigned c = 0; c < y.size(); ++c)
                EXPECT_NEAR(y[c], static_cast<double>(encoder.GetCoefficient(c)), 2e-6) << order << " " << c;
        }
    }
}

TEST(CapWeights, AreTheMeanOverTheCap) {
    for (const double half_angle : {10.0, 60.0, 120.0, 180.0}) {
        const auto weights = cap_weights(5, half_angle);
        std::vector<double> sums(6), y(kFifthOrder);
        double area = 0;
        for (const auto& node : sphere_grid(400, 1)) {
            if (90 - node.direction.elevation_deg > half_angle) continue;  // a cap around the zenith
            for (int n = 0; n <= 5; ++n)
                sums[static_cast<std::size_t>(n)] +=
                    node.weight * legendre(n, std::sin(radians(node.direction.elevation_deg)));
            area += node.weight;
        }
        for (std::size_t n = 0; n <= 5; ++n) EXPECT_NEAR(weights[n], sums[n] / area, 0.03) << half_angle << n;
    }
}

// Zotter and Frank 2012: max-rE weights of a fourth-order decoder, and what they are for: the longest energy
// vector.
TEST(MaxReWeights, MakeTheEnergyVectorLongest) {
    for (int order = 1; order <= 5; ++order) {
        const auto longest = max_re_weights(order);
        // Length of the energy vector of a perfectly decoded source: sum of (n + 1) a(n) a(n + 1) twice over
        // the sum of (2n + 1) a(n)^2.
        const auto length = [order](const std::vector<double>& a) {
            double over = 0, under = 0;
            for (int n = 0; n <= order; ++n) {
                const double here = a[static_cast<std::size_t>(n)];
                under += (2 * n + 1) * here * here;
                if (n < order) over += 2 * (n + 1) * here * a[static_cast<std::size_t>(n) + 1];
            }
            return over / under;
        };
        const double best = length(longest);
        std::mt19937 random(static_cast<unsigned>(order));
        std::uniform_real_distribution<double> some(-0.1, 0.1);
        for (int k = 0; k < 200; ++k) {
            auto other = longest;
            for (std::size_t n = 1; n < other.size(); ++n) other[n] += some(random);
            EXPECT_LT(length(other), best + 2e-4);
        }
        EXPECT_NEAR(legendre(order + 1, best), 0, 2e-3);  // it is the largest root of the next polynomial
    }
}

// Energy and direction of a decoded source, all around for layouts with height, on ear height for those
// without.
struct DecodedLayout {
    Layout layout;
    double most_degrees, most_db;
};
void PrintTo(const DecodedLayout& d, std::ostream* out) {
    *out << name_of(d.layout);
}
class Decoders : public testing::TestWithParam<DecodedLayout> {};
INSTANTIATE_TEST_SUITE_P(ThirdOrder, Decoders,
                         testing::Values(DecodedLayout{Layout::Surround51, 28, 2.5},
                                         DecodedLayout{Layout::Surround71, 16, 2.0},
                                         DecodedLayout{Layout::Surround714, 16, 2.0}));

TEST_P(Decoders, PlayASourceFromWhereItIs) {
    const auto& [layout, most_degrees, most_db] = GetParam();
    const auto decoder = all_round_decoder(3, layout, DecoderWeights::MaxRe);
    std::vector<double> y(16), gains(channels_of(layout));
    double mean = 0;
    int count = 0;
    for (double azimuth = -180; azimuth < 180; azimuth += 7.5) {
        for (const double up : {0.0, 15.0, 30.0}) {
            if (up > 0 && !has_height(layout)) continue;
            spherical_harmonics({azimuth, up}, y);
            double energy = 0;
            for (std::size_t c = 0; c < gains.size(); ++c) {
                gains[c] = 0;
                for (std::size_t k = 0; k < y.size(); ++k) gains[c] += decoder(c, k) * y[k];
                energy += gains[c] * gains[c];
            }
            const auto v = field_vectors(layout, gains);
            EXPECT_LT(angle_between_deg(v.energy, unit_vector({azimuth, up})), most_degrees)
                << azimuth << " " << up;
            EXPECT_NEAR(10 * std::log10(energy), 0, most_db) << azimuth << " " << up;
            mean += energy;
            ++count;
        }
    }
    EXPECT_NEAR(10 * std::log10(mean / count), 0, 1.5);
    if (const auto lfe = lfe_channel(layout)) {
        for (std::size_t k = 0; k < y.size(); ++k) EXPECT_EQ(decoder(*lfe, k), 0);
    }
}

TEST(Conversions, OfAmbisonicsKeepTheOrdersThatBothHave) {
    const auto m = conversion(Layout::Ambisonics3, Layout::Ambisonics1);
    for (std::size_t t = 0; t < 4; ++t) {
        for (std::size_t f = 0; f < 16; ++f) EXPECT_EQ(m(t, f), t == f ? 1 : 0);
    }
    const auto in = conversion(Layout::Surround51, Layout::Ambisonics2);
    std::vector<double> y(9);
    spherical_harmonics({110, 0}, y);
    for (std::size_t k = 0; k < 9; ++k) {
        EXPECT_NEAR(in(k, 4), y[k], 1e-12);
        EXPECT_EQ(in(k, 3), 0);  // LFE
    }
}

std::vector<std::vector<float>> in_channels(std::span<const double> gains, std::span<const float> sound) {
    std::vector<std::vector<float>> all;
    for (const double g : gains) {
        auto& channel = all.emplace_back(sound.begin(), sound.end());
        for (float& x : channel) x *= static_cast<float>(g);
    }
    return all;
}

std::vector<float> space_noise(unsigned seed, std::size_t frames, float sigma) {
    std::mt19937 random(seed);
    std::normal_distribution<float> some(0, sigma);
    std::vector<float> out(frames);
    for (float& x : out) x = some(random);
    return out;
}

TEST(FieldMaps, ShowTwoSourcesWhereTheyAre) {
    std::vector<double> y(36);
    const Direction here{62.5, 12.5}, there{-117.5, -7.5};
    spherical_harmonics(here, y);
    auto sound = in_channels(y, space_noise(1, 14400, 0.1F));
    spherical_harmonics(there, y);
    const auto other = in_channels(y, space_noise(2, 14400, 0.05F));
    for (std::size_t c = 0; c < sound.size(); ++c) {
        for (std::size_t i = 0; i < sound[c].size(); ++i) sound[c][i] += other[c][i];
    }
    FieldMap map(Layout::Ambisonics5, 48000);
    map.add(std::vector<std::span<const float>>(sound.begin(), sound.end()));
    const auto peaks = FieldMap::peaks(map.power(), 4);
    ASSERT_GE(peaks.size(), 2U);
    EXPECT_LT(angle_between_deg(unit_vector(peaks[0].direction), unit_vector(here)), 5);
    EXPECT_LT(angle_between_deg(unit_vector(peaks[1].direction), unit_vector(there)), 8);
    EXPECT_NEAR(peaks[0].level_db, -20, 0.5);
    EXPECT_NEAR(peaks[1].level_db, -26, 1);
}

TEST(FieldMaps, ForgetWhatWasMoreThanATimeAgo) {
    FieldMap map(Layout::Surround51, 48000);
    std::vector<double> gains(6);
    AmplitudePanner(Layout::Surround51).gains({110, 0}, 0, gains);
    const auto first = in_channels(gains, space_noise(3, 48000, 0.1F));
    map.add(std::vector<std::span<const float>>(first.begin(), first.end()));
    AmplitudePanner(Layout::Surround51).gains({-30, 0}, 0, gains);
    const auto then = in_channels(gains, space_noise(4, 19200, 0.1F));
    map.add(std::vector<std::span<const float>>(then.begin(), then.end()));
    const auto peaks = FieldMap::peaks(map.power(), 3);
    ASSERT_FALSE(peaks.empty());
    EXPECT_NEAR(peaks[0].direction.azimuth_deg, -30, 5);
    for (const auto& p : peaks) EXPECT_LT(p.direction.azimuth_deg, 90);
    map.reset();
    EXPECT_TRUE(FieldMap::peaks(map.power(), 3).empty());
}

}  // namespace
}  // namespace rivlen
