// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/quadrature.h"

#include <cmath>
#include <numbers>

#include "core/space/spherical_harmonics.h"

namespace rivlen {

std::vector<SphereNode> sphere_grid(int heights, int around) {
    std::vector<SphereNode> grid;
    for (int k = 0; k < heights; ++k) {
        // A root of Legendre's polynomial by Newton's method, from Chebyshev's.
        double x = std::cos(std::numbers::pi * (k + 0.75) / (heights + 0.5));
        double slope = 1;
        for (int step = 0; step < 50; ++step) {
            slope = heights * (legendre(heights - 1, x) - x * legendre(heights, x)) / (1 - x * x);
            const double by = legendre(heights, x) / slope;
            x -= by;
            if (std::abs(by) < 1e-15) break;
        }
        const double weight = 1 / ((1 - x * x) * slope * slope) / around;
        for (int a = 0; a < around; ++a)
            grid.push_back({{360.0 * (a + 0.5) / around - 180, degrees(std::asin(x))}, weight});
    }
    return grid;
}

}  // namespace rivlen
