// SPDX-License-Identifier: GPL-3.0-or-later
// Decibels and energies.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include "core/base/channel_block.h"

namespace rivlen {

// Amplitude ratio of a level.
[[nodiscard]] inline double amplitude_of_db(double db) {
    return std::pow(10.0, db / 20.0);
}
// Level of an amplitude (not below -200 dB).
[[nodiscard]] inline double db_of_amplitude(double amplitude) {
    return 20.0 * std::log10(std::max(amplitude, 1e-10));
}
// The same in single precision, for samples one after another.
[[nodiscard]] inline float quick_amplitude_of_db(float db) {
    constexpr float kOctavesPerDb = 0.166096405F;  // log2(10) / 20
    return std::exp2(db * kOctavesPerDb);
}
[[nodiscard]] inline float quick_db_of_amplitude(float amplitude) {
    constexpr float kDbPerOctave = 6.02059991F;
    return kDbPerOctave * std::log2(std::max(amplitude, 1e-10F));
}
// Peak of a sine over its mean power.
inline constexpr double kSineDb = 3.0103;
// Power ratio of a level, and the level of a power ratio (not below -120 dB).
[[nodiscard]] inline double power_of_db(double db) {
    return std::pow(10.0, db / 10.0);
}
[[nodiscard]] inline double db_of_power(double ratio) {
    return 10.0 * std::log10(std::max(ratio, 1e-12));
}
// Sum of squares; added up side by side, so that no sum waits for the one before.
[[nodiscard]] inline double energy_of(std::span<const float> x) {
    constexpr std::size_t kLanes = 8;
    std::array<double, kLanes> sums{};
    const std::size_t whole = x.size() - x.size() % kLanes;
    for (std::size_t i = 0; i < whole; i += kLanes) {
        for (std::size_t j = 0; j < kLanes; ++j) {
            const auto v = static_cast<double>(x[i + j]);
            sums[j] += v * v;
        }
    }
    for (std::size_t i = whole; i < x.size(); ++i)
        sums[0] += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    double sum = 0.0;
    for (const double part : sums) sum += part;
    return sum;
}
// Of all channels.
[[nodiscard]] inline double energy_of(const ChannelBlock& block) {
    double sum = 0.0;
    for (const auto& channel : block) sum += energy_of(std::span<const float>(channel));
    return sum;
}

}  // namespace rivlen
