// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/learning/spectra_loops.h"

#include <cmath>

#include "core/base/vector_code.h"

namespace rivlen {

RIVLEN_VECTOR_CODE void add_scaled(std::size_t count, const float* __restrict from, float gain,
                                   float* __restrict to) {
    for (std::size_t k = 0; k < count; ++k) to[k] += gain * from[k];
}

RIVLEN_VECTOR_CODE void bin_powers(std::size_t bins, const float* __restrict frame,
                                   float* __restrict powers) {
    for (std::size_t k = 0; k < bins; ++k)
        powers[k] = frame[k] * frame[k] + frame[bins + k] * frame[bins + k];
}

RIVLEN_VECTOR_CODE void bin_cross_terms(std::size_t bins, const float* __restrict x,
                                        const float* __restrict x_powers, const float* __restrict y,
                                        float* __restrict cross, float* __restrict magnitudes) {
    constexpr float kNothing = 1e-30F;
    for (std::size_t k = 0; k < bins; ++k) {
        const float y_power = y[k] * y[k] + y[bins + k] * y[bins + k];
        const float dot = x[k] * y[k] + x[bins + k] * y[bins + k];
        const float both = std::sqrt(x_powers[k] * y_power);
        const float term = (2.0F * both + dot) / std::sqrt(both + kNothing);
        cross[k] = both > kNothing ? term : 0.0F;
        magnitudes[k] = std::sqrt(y_power);
    }
}

RIVLEN_VECTOR_CODE void bin_roots(std::size_t bins, const float* __restrict powers, float* __restrict roots) {
    for (std::size_t k = 0; k < bins; ++k) roots[k] = std::sqrt(powers[k]);
}

RIVLEN_VECTOR_CODE float sum_of_bins(std::size_t count, const float* bins) {
    constexpr std::size_t kLanes = 16;
    float lanes[kLanes] = {};
    std::size_t k = 0;
    for (; k + kLanes <= count; k += kLanes) {
        for (std::size_t j = 0; j < kLanes; ++j) lanes[j] += bins[k + j];
    }
    float sum = 0.0F;
    for (; k < count; ++k) sum += bins[k];
    for (const float lane : lanes) sum += lane;
    return sum;
}

}  // namespace rivlen
