// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/region.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>
#include <random>

namespace rivlen {
namespace {

std::size_t band_at(double hz) {
    const int bin = static_cast<int>(std::lround(hz * kModelFft / kModelRate));
    return static_cast<std::size_t>(band_of_bin()[static_cast<std::size_t>(bin)]);
}

Region box(double first, double last, double low, double high) {
    Region region;
    region.points = {{first, low}, {last, high}};
    EXPECT_TRUE(normalise(region));
    return region;
}

std::array<float, kBands> strengths(const Region& region, double seconds) {
    std::array<float, kBands> out{};
    RegionReader(region).read(seconds, out);
    return out;
}

// Area in seconds times octaves, from the strengths of all bands above 5 kHz, where bands are narrow in
// pitch.
double held_area(const Region& region, double step_seconds) {
    const RegionReader reader(region);
    const auto& edges = band_edges();
    std::array<float, kBands> strength{};
    double area = 0;
    for (double t = reader.first_seconds(); t < reader.last_seconds(); t += step_seconds) {
        if (!reader.read(t, strength)) continue;
        for (std::size_t b = 0; b < kBands; ++b)
            area += step_seconds * static_cast<double>(strength[b]) *
                    std::log2((edges[b + 1] - 0.5) / std::max(0.5, edges[b] - 0.5));
    }
    return area;
}

TEST(Region, ABoxHoldsWithinItsBordersAndHalfOnThem) {
    Region region = box(1, 2, 1000, 4000);
    region.edge_ms = 100;
    region.edge_semitones = 2;
    EXPECT_EQ(strengths(region, 1.5)[band_at(2000)], 1.0F);
    EXPECT_EQ(strengths(region, 1.5)[band_at(500)], 0.0F);
    EXPECT_EQ(strengths(region, 1.5)[band_at(8000)], 0.0F);
    EXPECT_NEAR(strengths(region, 1.0)[band_at(2000)], 0.5F, 1e-6F);
    EXPECT_NEAR(strengths(region, 1.025)[band_at(2000)], 0.75F, 1e-6F);
    EXPECT_NEAR(strengths(region, 2.05 - 1e-9)[band_at(2000)], 0.0F, 1e-6F);
    std::array<float, kBands> none{};
    EXPECT_FALSE(RegionReader(region).read(0.94, none));
    // Around the upper border the strength falls over the width that is set.
    const float inside = strengths(region, 1.5)[band_at(4000 * std::exp2(-1.2 / 12))];
    const float outside = strengths(region, 1.5)[band_at(4000 * std::exp2(1.2 / 12))];
    EXPECT_GT(inside, 0.9F);
    EXPECT_LT(outside, 0.1F);
    EXPECT_NEAR(strengths(region, 1.5)[band_at(4000)], 0.5F, 0.15F);
}

// A stroke that is narrower than a band of the map (23.4 Hz down here) still takes the whole band's share
// that it covers, and nothing of its neighbours but one.
TEST(Region, WhatIsNarrowerThanABandStillHolds) {
    const Region region = box(0, 1, 117, 118.5);
    const auto strength = strengths(region, 0.5);
    const double sum = std::accumulate(strength.begin(), strength.end(), 0.0);
    EXPECT_NEAR(sum, 1, 0.05);
    EXPECT_GT(strength[band_at(117)], 0.9F);
}

// The shoelace formula (Gauss) says how large a polygon is; a free outline holds as much of the plane.
TEST(Region, AnOutlineHoldsItsArea) {
    Region region;
    region.shape = RegionShape::Outline;
    region.points = {{1.0, 5000}, {3.0, 6000}, {2.5, 16000}, {1.2, 12000}};
    region.edge_ms = 20;
    region.edge_semitones = 0.2;
    ASSERT_TRUE(normalise(region));
    double twice = 0;
    for (std::size_t i = 0; i < region.points.size(); ++i) {
        const auto& a = region.points[i];
        const auto& b = region.points[(i + 1) % region.points.size()];
        twice += a.seconds * std::log2(b.hz) - b.seconds * std::log2(a.hz);
    }
    EXPECT_NEAR(held_area(region, 0.002), std::abs(twice) / 2, 0.02 * std::abs(twice) / 2);
    EXPECT_EQ(strengths(region, 2.0)[band_at(9000)], 1.0F);
    EXPECT_EQ(strengths(region, 1.1)[band_at(15000)], 0.0F);
}

// Even-odd: what an outline encloses twice (the middle of a star drawn in one line) is outside.
TEST(Region, WhatIsEnclosedTwiceIsOutside) {
    Region star;
    star.shape = RegionShape::Outline;
    for (int i = 0; i < 5; ++i) {
        const double angle = std::numbers::pi / 2 + i * 2 * std::numbers::pi * 2 / 5;
        star.points.push_back({2 + std::cos(angle), 8000 * std::exp2(std::sin(angle))});
    }
    ASSERT_TRUE(normalise(star));
    EXPECT_EQ(strengths(star, 2.0)[band_at(8000)], 0.0F);
    EXPECT_GT(strengths(star, 2.0)[band_at(13500)], 0.9F);
}

// A brush that is drawn along a straight line covers a rectangle with two round ends: 2 r L + pi r^2 in units
// of the brush.
TEST(Region, ABrushCoversARoundEndedStroke) {
    Region region;
    region.shape = RegionShape::Brush;
    region.points = {{2, 10000}, {4, 10000}};
    region.brush_ms = 300;
    region.brush_semitones = 3;
    region.edge_ms = region.edge_semitones = 0;
    ASSERT_TRUE(normalise(region));
    const double unit = 0.3 * 3 / 12;  // seconds times octaves
    const double wanted = (2 * (2 / 0.3) + std::numbers::pi) * unit;
    EXPECT_NEAR(held_area(region, 0.001), wanted, 0.02 * wanted);
    // A bent stroke is not counted twice where its pieces meet.
    region.points = {{2, 10000}, {3, 10000}, {4, 10000}};
    EXPECT_NEAR(held_area(region, 0.001), wanted, 0.02 * wanted);
    // A steep one has straight sides, too.
    region.points = {{2, 6000}, {2.2, 15000}};
    ASSERT_TRUE(normalise(region));
    const double across = 0.2 / 0.3, along = std::log2(15000.0 / 6000) * 12 / 3;
    EXPECT_NEAR(held_area(region, 0.001), (2 * std::hypot(across, along) + std::numbers::pi) * unit,
                0.03 * wanted);
    // A single dab is a disc.
    region.points = {{2, 9000}};
    EXPECT_NEAR(held_area(region, 0.001), std::numbers::pi * unit, 0.03 * unit * std::numbers::pi);
}

TEST(Region, HarmonicsFollowTheFundamental) {
    Region region = box(0, 1, 590, 610);  // on the third partial of 200 Hz
    region.harmonics = true;
    region.partial = 3;
    const auto strength = strengths(region, 0.5);
    for (const double hz : {200.0, 400.0, 600.0, 800.0, 1000.0, 1200.0, 2000.0})
        EXPECT_GT(strength[band_at(hz)], 0.5F) << hz;
    for (const double hz : {100.0, 300.0, 500.0, 700.0, 900.0, 1100.0, 2100.0})
        EXPECT_LT(strength[band_at(hz)], 0.1F) << hz;
    region.harmonics = false;
    EXPECT_EQ(strengths(region, 0.5)[band_at(400)], 0.0F);
}

TEST(Region, IsBroughtIntoOrder) {
    Region region;
    region.points = {{3, 4000}, {1, 100}};  // corners in any order
    ASSERT_TRUE(normalise(region));
    EXPECT_EQ(region.points[0], (RegionPoint{1, 100}));
    EXPECT_EQ(region.points[1], (RegionPoint{3, 4000}));
    const RegionBounds bounds = bounds_of(moved(region, 2, 12));
    EXPECT_DOUBLE_EQ(bounds.first_seconds, 3);
    EXPECT_NEAR(bounds.highest_hz, 8000, 1e-9);
    region.points = {{1, 100}, {1, 4000}};
    EXPECT_FALSE(normalise(region));  // no extent
    region.points = {{1, 100}};
    EXPECT_FALSE(normalise(region));
    const double none = std::numeric_limits<double>::quiet_NaN();
    region.points = {{none, none}, {1e300, -5}};
    region.edge_ms = none;
    ASSERT_TRUE(normalise(region));
    EXPECT_GT(region.points[0].hz, 0);
    EXPECT_TRUE(std::isfinite(region.points[1].seconds) && std::isfinite(region.edge_ms));
    // A long path is thinned out, its ends kept.
    Region path;
    path.shape = RegionShape::Brush;
    for (int i = 0; i < 5000; ++i) path.points.push_back({i * 0.001, 1000.0 + i});
    ASSERT_TRUE(normalise(path));
    EXPECT_EQ(path.points.size(), kMostRegionPoints);
    EXPECT_EQ(path.points.front().hz, 1000);
    EXPECT_EQ(path.points.back().hz, 5999);
}

// Whatever is drawn: strengths from 0 to 1, and none outside the times that are said.
TEST(Region, AnyDrawingIsSafe) {
    std::mt19937 random(5);
    const auto up_to = [&](double most) { return static_cast<double>(random() % 10000) / 10000 * most; };
    for (int i = 0; i < 3000; ++i) {
        Region region;
        region.shape = static_cast<RegionShape>(random() % 3);
        for (std::size_t n = random() % 12; n > 0; --n)
            region.points.push_back({up_to(3), 20 * std::exp2(up_to(10.5))});
        region.brush_ms = up_to(500);
        region.brush_semitones = up_to(20);
        region.edge_ms = up_to(300);
        region.edge_semitones = up_to(5);
        region.harmonics = random() % 4 == 0;
        region.partial = 1 + static_cast<int>(random() % 5);
        if (!normalise(region)) continue;
        const RegionReader reader(region);
        std::array<float, kBands> strength{};
        for (int k = 0; k < 20; ++k) {
            const double at = up_to(4) - 0.5;
            if (!reader.read(at, strength)) continue;
            ASSERT_TRUE(at > reader.first_seconds() && at < reader.last_seconds());
            for (const float x : strength) ASSERT_TRUE(x >= 0 && x <= 1) << x;
        }
    }
}

}  // namespace
}  // namespace rivlen
