// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <string>

#include "core/space/amplitude_panning.h"
#include "core/space/conversion.h"
#include "core/space/quadrature.h"

namespace rivlen {
namespace {

constexpr Layout kLoudspeakerLayouts[] = {Layout::Mono,       Layout::Stereo,     Layout::Lcr,
                                          Layout::Surround51, Layout::Surround71, Layout::Surround514,
                                          Layout::Surround714};

std::vector<double> panned_gains(Layout layout, Direction d, double spread = 0) {
    std::vector<double> gains(channels_of(layout));
    AmplitudePanner(layout).gains(d, spread, gains);
    return gains;
}

double energy_of_gains(const std::vector<double>& gains) {
    double sum = 0;
    for (const double g : gains) sum += g * g;
    return sum;
}

std::size_t channel_labelled(Layout layout, std::string_view label) {
    const auto all = loudspeakers(layout);
    for (std::size_t c = 0; c < all.size(); ++c) {
        if (label == all[c].label) return c;
    }
    ADD_FAILURE() << label;
    return 0;
}

// ITU-R BS.2051-3, sound systems B, I, D and J (from memory).
TEST(Layouts, HaveTheChannelsOfTheStandardInItsOrder) {
    const auto labels = [](Layout layout) {
        std::string all;
        for (const auto& s : loudspeakers(layout)) all += std::string(all.empty() ? "" : " ") + s.label;
        return all;
    };
    EXPECT_EQ(labels(Layout::Surround51), "M+030 M-030 M+000 LFE1 M+110 M-110");
    EXPECT_EQ(labels(Layout::Surround71), "M+030 M-030 M+000 LFE1 M+090 M-090 M+135 M-135");
    EXPECT_EQ(labels(Layout::Surround514), "M+030 M-030 M+000 LFE1 M+110 M-110 U+030 U-030 U+110 U-110");
    EXPECT_EQ(labels(Layout::Surround714),
              "M+030 M-030 M+000 LFE1 M+090 M-090 M+135 M-135 U+045 U-045 U+135 U-135");
    for (std::size_t k = 0; k < kLayouts; ++k) {
        const auto layout = static_cast<Layout>(k);
        EXPECT_EQ(layout_of_key(key_of(layout)), layout);
        EXPECT_EQ(likely_layout(channels_of(layout)), layout);
        for (const auto& s : loudspeakers(layout)) {
            if (s.lfe) continue;  // the label is level, side and azimuth
            EXPECT_EQ(std::abs(s.direction.azimuth_deg), std::stod(std::string(s.label).substr(2)));
            EXPECT_EQ(s.direction.azimuth_deg < 0, s.label[1] == '-');
            EXPECT_EQ(s.direction.elevation_deg > 0, s.label[0] == 'U');
        }
    }
}

TEST(AmplitudePanning, KeepsTheEnergyFromEveryDirectionAndLeavesTheLfe) {
    for (const Layout layout : kLoudspeakerLayouts) {
        for (const double spread : {0.0, 20.0, 100.0}) {
            for (const auto& node : sphere_grid(7, 12)) {
                const auto gains = panned_gains(layout, node.direction, spread);
                EXPECT_NEAR(energy_of_gains(gains), 1, 1e-9) << name_of(layout);
                for (const double g : gains) EXPECT_GE(g, 0);
                if (const auto lfe = lfe_channel(layout)) {
                    EXPECT_EQ(gains[*lfe], 0);
                }
            }
        }
    }
}

TEST(AmplitudePanning, PlaysALoudspeakersDirectionFromThatLoudspeakerAlone) {
    for (const Layout layout : kLoudspeakerLayouts) {
        const auto all = loudspeakers(layout);
        for (std::size_t c = 0; c < all.size(); ++c) {
            if (all[c].lfe) continue;
            EXPECT_NEAR(panned_gains(layout, all[c].direction)[c], 1, 1e-9)
                << name_of(layout) << all[c].label;
        }
    }
}

// Pulkki 1997, section 1.2: VBAP on a pair is the law of tangents, tan(source) / tan(base) = (gl - gr) / (gl
// + gr).
TEST(AmplitudePanning, FollowsTheLawOfTangentsBetweenTwo) {
    for (double azimuth = -30; azimuth <= 30; azimuth += 2.5) {
        const auto g = panned_gains(Layout::Stereo, {azimuth, 0});
        EXPECT_NEAR((g[0] - g[1]) / (g[0] + g[1]), std::tan(radians(azimuth)) / std::tan(radians(30)), 1e-9);
        // Between Left and Centre the pair is 30 degrees wide, turned by 15.
        const auto s = panned_gains(Layout::Surround51, {(azimuth + 30) / 2, 0});
        EXPECT_NEAR((s[0] - s[2]) / (s[0] + s[2]), std::tan(radians(azimuth / 2)) / std::tan(radians(15)),
                    1e-9);
    }
}

// Pulkki 1997, eq. 18: between three loudspeakers the gains solve p = g L; the velocity vector points at the
// source.
TEST(AmplitudePanning, PointsTheVelocityVectorAtTheSourceBetweenThree) {
    for (const Layout layout : {Layout::Surround514, Layout::Surround714}) {
        for (const auto& node : sphere_grid(12, 24)) {
            const double up = node.direction.elevation_deg;
            if (up < 0 || up > 25)
                continue;  // above, the zenith is imagined; between four, two ways are mixed
            const auto v = field_vectors(layout, panned_gains(layout, node.direction));
            const bool four =
                std::abs(node.direction.azimuth_deg) > (layout == Layout::Surround714 ? 135 : 110) ||
                std::abs(node.direction.azimuth_deg) < 30 || layout == Layout::Surround514;
            EXPECT_LT(angle_between_deg(v.velocity, unit_vector(node.direction)), four ? 12 : 1e-3)
                << name_of(layout) << " " << node.direction.azimuth_deg << " " << up;
        }
    }
}

TEST(AmplitudePanning, IsTheSameLeftAndRightAndMovesWithoutAJump) {
    for (const Layout layout : kLoudspeakerLayouts) {
        const auto all = loudspeakers(layout);
        std::vector<double> before;
        for (double azimuth = -180; azimuth <= 180; azimuth += 0.5) {
            const double up = 40 * std::sin(radians(3 * azimuth));
            const auto here = panned_gains(layout, {azimuth, up}, 10);
            const auto mirrored = panned_gains(layout, {-azimuth, up}, 10);
            double step = 0;
            for (std::size_t c = 0; c < all.size(); ++c) {
                for (std::size_t d = 0; d < all.size(); ++d) {
                    if (all[d].lfe || all[d].direction.azimuth_deg != -all[c].direction.azimuth_deg ||
                        all[d].direction.elevation_deg != all[c].direction.elevation_deg)
                        continue;
                    EXPECT_NEAR(here[c], mirrored[d], 1e-6) << name_of(layout) << azimuth;
                }
                if (!before.empty()) step = std::max(step, std::abs(here[c] - before[c]));
            }
            EXPECT_LT(step, 0.06) << name_of(layout) << azimuth;
            before = here;
        }
    }
}

TEST(AmplitudePanning, SpreadsFromAPointToAllAround) {
    double last = 2;
    for (const double spread : {0.0, 10.0, 30.0, 60.0, 100.0}) {
        const auto v =
            field_vectors(Layout::Surround714, panned_gains(Layout::Surround714, {110, 0}, spread));
        const double length = std::sqrt(dot(v.energy, v.energy));
        EXPECT_LT(length, last + 1e-9);
        last = length;
    }
    EXPECT_LT(last, 0.35);
    const auto everywhere = panned_gains(Layout::Surround51, {0, 0}, 100);
    for (const std::size_t c : {0U, 1U, 2U, 4U, 5U}) EXPECT_GT(everywhere[c], 0.3);
}

// ITU-R BS.775-3, annex 4, table 2 (from memory): 3/2 to 2/0 and to 1/0.
TEST(FoldDowns, HaveTheCoefficientsOfTheRecommendation) {
    const double h = std::numbers::sqrt2 / 2;
    const auto two = conversion(Layout::Surround51, Layout::Stereo);
    const double left[] = {1, 0, h, 0, h, 0}, right[] = {0, 1, h, 0, 0, h};
    const auto one = conversion(Layout::Surround51, Layout::Mono);
    const double mono[] = {h, h, 1, 0, 0.5, 0.5};
    const auto three = conversion(Layout::Surround51, Layout::Lcr);
    for (std::size_t c = 0; c < 6; ++c) {
        EXPECT_NEAR(two(0, c), left[c], 1e-9) << c;
        EXPECT_NEAR(two(1, c), right[c], 1e-9) << c;
        EXPECT_NEAR(one(0, c), mono[c], 1e-9) << c;
    }
    EXPECT_NEAR(three(2, 2), 1, 1e-9);
    EXPECT_NEAR(three(0, 4), h, 1e-9);
    const auto half = conversion(Layout::Stereo, Layout::Mono);
    EXPECT_NEAR(half(0, 0), h, 1e-9);
    EXPECT_NEAR(half(0, 1), h, 1e-9);
}

TEST(FoldDowns, AreAdjustableAndLoseNothingButTheLfe) {
    ConversionSettings settings;
    settings.fold_down.centre_db = -4.5;
    settings.fold_down.surround_db = FoldDown::kNothingDb;
    settings.fold_down.lfe_db = 0;
    const auto m = conversion(Layout::Surround51, Layout::Stereo, settings);
    EXPECT_NEAR(m(0, 2), std::pow(10, -4.5 / 20), 1e-9);
    EXPECT_EQ(m(0, 4), 0);
    EXPECT_EQ(m(1, 3), 1);
    for (const Layout from : kLoudspeakerLayouts) {
        for (const Layout to : kLoudspeakerLayouts) {
            const auto all = conversion(from, to);
            ASSERT_EQ(all.to(), channels_of(to));
            ASSERT_EQ(all.from(), channels_of(from));
            const auto sources = loudspeakers(from);
            for (std::size_t c = 0; c < sources.size(); ++c) {
                double heard = 0;
                for (std::size_t t = 0; t < all.to(); ++t) heard += all(t, c) * all(t, c);
                if (!sources[c].lfe) {
                    EXPECT_GT(heard, 0.12) << name_of(from) << name_of(to) << sources[c].label;
                }
                EXPECT_LT(heard, 1 + 1e-9);
            }
        }
    }
}

TEST(FoldDowns, PutHeightsBelowAndSharePairs) {
    const double h = std::numbers::sqrt2 / 2;
    const Layout from = Layout::Surround714, to = Layout::Surround51;
    const auto m = conversion(from, to);
    EXPECT_NEAR(m(channel_labelled(to, "M+030"), channel_labelled(from, "U+045")), h, 1e-9);
    EXPECT_NEAR(m(channel_labelled(to, "M-110"), channel_labelled(from, "U-135")), h, 1e-9);
    EXPECT_NEAR(m(channel_labelled(to, "M+110"), channel_labelled(from, "M+090")), h, 1e-9);
    EXPECT_NEAR(m(channel_labelled(to, "M+110"), channel_labelled(from, "M+135")), h, 1e-9);
    EXPECT_EQ(m(channel_labelled(to, "LFE1"), channel_labelled(from, "LFE1")), 1);
    EXPECT_NEAR(conversion(Layout::Surround514, from)(channel_labelled(from, "U+045"), 6), 1, 1e-9);
}

TEST(ChannelMatrices, MultiplySounds) {
    const auto down = conversion(Layout::Surround714, Layout::Stereo);
    const auto both = conversion(Layout::Surround51, Layout::Stereo)
                          .after(conversion(Layout::Surround714, Layout::Surround51));
    for (std::size_t c = 0; c < 12; ++c) EXPECT_NEAR(down(0, c), both(0, c), 1e-9) << c;
    std::vector<std::vector<float>> in(12, std::vector<float>(3));
    for (std::size_t c = 0; c < 12; ++c) in[c] = {static_cast<float>(c), 1, -1};
    std::vector<float> left(3), right(3);
    down.apply(ChannelBlock(in, 3), {left, right});
    double expected = 0;
    for (std::size_t c = 0; c < 12; ++c) expected += down(0, c) * static_cast<double>(c);
    EXPECT_NEAR(static_cast<double>(left[0]), expected, 1e-5);
    EXPECT_EQ(right[1], -right[2]);
}

}  // namespace
}  // namespace rivlen
