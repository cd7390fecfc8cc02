// Decibels and energies.
#pragma once

#include <algorithm>
#include <cmath>
#include <span>

namespace rivlen {

// Amplitude ratio of a level.
[[nodiscard]] inline double amplitude_of_db(double db) {
    return std::pow(10.0, db / 20.0);
}
// Level of an amplitude (not below -200 dB).
[[nodiscard]] inline double db_of_amplitude(double amplitude) {
    return 20.0 * std::log10(std::max(amplitude, 1e-10));
}
// Power ratio of a level, and the level of a power ratio (not below -120 dB).
[[nodiscard]] inline double power_of_db(double db) {
    return std::pow(10.0, db / 10.0);
}
[[nodiscard]] inline double db_of_power(double ratio) {
    return 10.0 * std::log10(std::max(ratio, 1e-12));
}
// Sum of squares.
[[nodiscard]] inline double energy_of(std::span<const float> x) {
    double sum = 0.0;
    for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
    return sum;
}

}  // namespace rivlen
