// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/metrics/si_sdr.h"

#include <cmath>
#include <limits>

namespace rivlen {

double si_sdr_db(std::span<const float> estimate, std::span<const float> reference) {
    double dot = 0.0;
    double reference_energy = 0.0;
    for (std::size_t i = 0; i < reference.size(); ++i) {
        const auto s = static_cast<double>(reference[i]);
        dot += static_cast<double>(estimate[i]) * s;
        reference_energy += s * s;
    }
    if (reference_energy <= 0.0) return -std::numeric_limits<double>::infinity();
    const double scale = dot / reference_energy;
    double target = 0.0;
    double distortion = 0.0;
    for (std::size_t i = 0; i < reference.size(); ++i) {
        const double wanted = scale * static_cast<double>(reference[i]);
        const double rest = static_cast<double>(estimate[i]) - wanted;
        target += wanted * wanted;
        distortion += rest * rest;
    }
    return 10.0 * std::log10(target / distortion);
}

}  // namespace rivlen
