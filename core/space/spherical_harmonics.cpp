// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/spherical_harmonics.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>

namespace rivlen {

namespace {

constexpr std::size_t kOrders = kMostAmbisonicOrder + 1;
using Table = std::array<std::array<double, kOrders>, kOrders>;  // [n][m]

// P(n, m)(x) for 0 <= m <= n, by the usual recurrences.
Table associated_legendre(std::size_t order, double x) {
    Table p{};
    const double across = std::sqrt(std::max(0.0, 1 - x * x));
    p[0][0] = 1;
    for (std::size_t m = 1; m <= order; ++m)
        p[m][m] = static_cast<double>(2 * m - 1) * across * p[m - 1][m - 1];
    for (std::size_t m = 0; m < order; ++m) {
        p[m + 1][m] = static_cast<double>(2 * m + 1) * x * p[m][m];
        for (std::size_t n = m + 2; n <= order; ++n)
            p[n][m] = (static_cast<double>(2 * n - 1) * x * p[n - 1][m] -
                       static_cast<double>(n + m - 1) * p[n - 2][m]) /
                      static_cast<double>(n - m);
    }
    return p;
}

Table sn3d() {
    Table norm{};
    for (std::size_t n = 0; n < kOrders; ++n) {
        for (std::size_t m = 0; m <= n; ++m) {
            double ratio = 1;  // (n - m)! / (n + m)!
            for (std::size_t k = n - m + 1; k <= n + m; ++k) ratio /= static_cast<double>(k);
            norm[n][m] = std::sqrt((m == 0 ? 1.0 : 2.0) * ratio);
        }
    }
    return norm;
}

}  // namespace

int order_of_channel(std::size_t channel) {
    int n = 0;
    while (static_cast<std::size_t>((n + 1) * (n + 1)) <= channel) ++n;
    return n;
}

void spherical_harmonics(Direction direction, std::span<double> out) {
    static const Table kNorm = sn3d();
    const auto order = static_cast<std::size_t>(order_of_channel(out.size() - 1));
    const Table p = associated_legendre(order, std::sin(radians(direction.elevation_deg)));
    const double azimuth = radians(direction.azimuth_deg);
    for (std::size_t n = 0; n <= order; ++n) {
        const std::size_t middle = n * n + n;
        out[middle] = p[n][0];  // SN3D: 1 for m = 0
        for (std::size_t m = 1; m <= n; ++m) {
            const double part = kNorm[n][m] * p[n][m];
            out[middle + m] = part * std::cos(static_cast<double>(m) * azimuth);
            out[middle - m] = part * std::sin(static_cast<double>(m) * azimuth);
        }
    }
}

double legendre(int n, double x) {
    double before = 1, now = x;
    if (n <= 0) return 1;
    for (int k = 2; k <= n; ++k) {
        const double next = ((2 * k - 1) * x * now - (k - 1) * before) / k;
        before = now;
        now = next;
    }
    return now;
}

std::vector<double> cap_weights(int order, double half_angle_deg) {
    std::vector<double> weights(static_cast<std::size_t>(order) + 1, 1.0);
    const double edge = std::cos(radians(std::clamp(half_angle_deg, 0.0, 180.0)));
    if (1 - edge < 1e-9) return weights;
    for (int n = 1; n <= order; ++n)
        weights[static_cast<std::size_t>(n)] =
            (legendre(n - 1, edge) - legendre(n + 1, edge)) / ((2 * n + 1) * (1 - edge));
    return weights;
}

std::vector<double> max_re_weights(int order) {
    std::vector<double> weights(static_cast<std::size_t>(order) + 1);
    const double x = std::cos(radians(137.9 / (order + 1.51)));
    for (int n = 0; n <= order; ++n) weights[static_cast<std::size_t>(n)] = legendre(n, x);
    return weights;
}

}  // namespace rivlen
