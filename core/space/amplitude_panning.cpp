// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/amplitude_panning.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rivlen {

namespace {

constexpr double kTiny = 1e-9;
constexpr double kFlat = 1e-6;  // within which corners lie in one plane
constexpr int kRings = 4, kRingPoints = 16;

Vector3 difference(const Vector3& a, const Vector3& b) {
    return {a[0] - b[0], a[1] - b[1], a[2] - b[2]};
}
Vector3 scaled(const Vector3& a, double by) {
    return {a[0] * by, a[1] * by, a[2] * by};
}

void normalise(std::span<double> gains) {
    double energy = 0;
    for (const double g : gains) energy += g * g;
    if (energy <= 0) return;
    const double by = 1 / std::sqrt(energy);
    for (double& g : gains) g *= by;
}

}  // namespace

AmplitudePanner::AmplitudePanner(Layout layout) : channels_(channels_of(layout)) {
    const auto all = loudspeakers(layout);
    bool above = false;
    for (std::size_t c = 0; c < all.size(); ++c) {
        if (all[c].lfe) continue;
        points_.push_back(unit_vector(all[c].direction));
        channel_of_.push_back(c);
        above = above || all[c].direction.elevation_deg > 0;
    }
    in_front_ = points_.size() < 4;
    if (in_front_) {
        for (const auto& p : points_) azimuths_.push_back(std::atan2(p[1], p[0]));
        for (std::size_t k = 0; k < points_.size(); ++k) by_azimuth_.push_back(k);
        std::ranges::sort(by_azimuth_, {}, [this](std::size_t k) { return azimuths_[k]; });
        return;
    }
    points_.push_back({0, 0, 1});
    points_.push_back({0, 0, -1});
    find_triangles();
    find_neighbours();
}

// Faces of the hull: all other corners lie on one side of them.
void AmplitudePanner::find_triangles() {
    const std::size_t count = points_.size();
    for (std::size_t i = 0; i < count; ++i) {
        for (std::size_t j = i + 1; j < count; ++j) {
            for (std::size_t k = j + 1; k < count; ++k) {
                const auto &a = points_[i], &b = points_[j], &c = points_[k];
                const Vector3 normal = cross(difference(b, a), difference(c, a));
                const double volume = dot(a, cross(b, c));
                if (std::abs(volume) < kFlat) continue;
                const double side = dot(normal, a) > 0 ? 1 : -1;
                const bool face = std::ranges::all_of(
                    points_, [&](const Vector3& p) { return side * dot(normal, difference(p, a)) < kFlat; });
                if (!face) continue;
                Triangle t;
                t.corners = {i, j, k};
                t.inverse = {scaled(cross(b, c), 1 / volume), scaled(cross(c, a), 1 / volume),
                             scaled(cross(a, b), 1 / volume)};
                triangles_.push_back(t);
            }
        }
    }
}

void AmplitudePanner::find_neighbours() {
    for (std::size_t imagined = channel_of_.size(); imagined < points_.size(); ++imagined) {
        auto& around = around_.emplace_back();
        for (const auto& t : triangles_) {
            if (std::ranges::find(t.corners, imagined) == t.corners.end()) continue;
            for (const std::size_t corner : t.corners) {
                if (corner < channel_of_.size() && std::ranges::find(around, corner) == around.end())
                    around.push_back(corner);
            }
        }
    }
}

void AmplitudePanner::add_point(const Vector3& at, double weight, Corners& sum) const {
    Corners found{};
    double ways = 0;
    for (const auto& t : triangles_) {
        const std::array<double, 3> g = {dot(t.inverse[0], at), dot(t.inverse[1], at), dot(t.inverse[2], at)};
        if (std::ranges::any_of(g, [](double x) { return x < -kTiny; })) continue;
        const double by = 1 / std::sqrt(g[0] * g[0] + g[1] * g[1] + g[2] * g[2]);
        for (std::size_t k = 0; k < 3; ++k) found[t.corners[k]] += std::max(0.0, g[k]) * by;
        ways += 1;
    }
    if (ways == 0) return;
    for (std::size_t k = 0; k < points_.size(); ++k) found[k] /= ways;
    for (std::size_t n = 0; n < around_.size(); ++n) {
        const std::size_t imagined = channel_of_.size() + n;
        const double share = found[imagined] / std::sqrt(static_cast<double>(around_[n].size()));
        for (const std::size_t corner : around_[n]) found[corner] += share;
        found[imagined] = 0;
    }
    normalise(std::span(found).first(points_.size()));
    for (std::size_t k = 0; k < channel_of_.size(); ++k) sum[k] += weight * found[k];
}

// Between the two neighbours on the front arc.
void AmplitudePanner::add_in_front(const Vector3& at, double weight, Corners& sum) const {
    if (points_.size() == 1) {
        sum[0] += weight;
        return;
    }
    const double azimuth = std::atan2(at[1], std::abs(at[0]));
    const auto& used = by_azimuth_;
    const double held = std::clamp(azimuth, azimuths_[used.front()], azimuths_[used.back()]);
    for (std::size_t k = 0; k + 1 < used.size(); ++k) {
        const double low = azimuths_[used[k]], high = azimuths_[used[k + 1]];
        if (held > high && k + 2 < used.size()) continue;
        // The law of tangents, as VBAP gives it in a plane.
        const double g_low = std::sin(high - held), g_high = std::sin(held - low);
        const double by = weight / std::hypot(g_low, g_high);
        sum[used[k]] += g_low * by;
        sum[used[k + 1]] += g_high * by;
        return;
    }
}

void AmplitudePanner::gains(Direction direction, double spread_percent, std::span<double> gains) const {
    Corners sum{};
    const Vector3 at = unit_vector(direction);
    const auto add = [&](const Vector3& v, double weight) {
        if (in_front_) {
            add_in_front(v, weight, sum);
        } else {
            add_point(v, weight, sum);
        }
    };
    const double cap = std::clamp(spread_percent, 0.0, 100.0) / 100 * std::numbers::pi;
    if (cap == 0) {
        add(at, 1);
    } else {
        // Rings over the cap, each weighted with the area that it stands for.
        const Vector3 aside = std::abs(at[2]) < 0.9 ? Vector3{0, 0, 1} : Vector3{1, 0, 0};
        Vector3 u = cross(at, aside);
        u = scaled(u, 1 / std::sqrt(dot(u, u)));
        const Vector3 v = cross(at, u);
        for (int ring = 0; ring < kRings; ++ring) {
            const double away = cap * (ring + 0.5) / kRings;
            for (int k = 0; k < kRingPoints; ++k) {
                const double round = 2 * std::numbers::pi * (k + 0.5) / kRingPoints;
                Vector3 p{};
                for (std::size_t x = 0; x < 3; ++x)
                    p[x] = std::cos(away) * at[x] +
                           std::sin(away) * (std::cos(round) * u[x] + std::sin(round) * v[x]);
                add(p, std::sin(away));
            }
        }
    }
    std::ranges::fill(gains, 0.0);
    for (std::size_t k = 0; k < channel_of_.size(); ++k) gains[channel_of_[k]] = sum[k];
    normalise(gains);
}

}  // namespace rivlen
