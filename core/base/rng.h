// SPDX-License-Identifier: GPL-3.0-or-later
// A small generator whose draws do not depend on the standard library: the same seed gives the same mix
// anywhere.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>

namespace rivlen {

class Rng {  // splitmix64 (Steele, Lea, Flood 2014)
  public:
    explicit Rng(std::uint64_t seed) : state_(seed) {}
    std::uint64_t bits() {
        std::uint64_t z = (state_ += 0x9E3779B97F4A7C15ULL);
        z = (z ^ (z >> 30U)) * 0xBF58476D1CE4E5B9ULL;
        z = (z ^ (z >> 27U)) * 0x94D049BB133111EBULL;
        return z ^ (z >> 31U);
    }
    double uniform() { return static_cast<double>(bits() >> 11U) * 0x1.0p-53; }
    double uniform(double low, double high) { return low + (high - low) * uniform(); }
    double log_uniform(double low, double high) { return low * std::pow(high / low, uniform()); }
    std::size_t below(std::size_t count) {
        return static_cast<std::size_t>(uniform() * static_cast<double>(count));
    }
    int between(int low, int high) {
        return low + static_cast<int>(below(static_cast<std::size_t>(high - low + 1)));
    }
    bool chance(double probability) { return uniform() < probability; }
    // Noise of unit power; a sum of uniforms is near enough to normal and much cheaper.
    float noise() {
        const std::uint64_t b = bits();
        constexpr float kScale = 1.0F / 65536.0F;
        const float sum = static_cast<float>(b & 0xFFFFU) + static_cast<float>((b >> 16U) & 0xFFFFU) +
                          static_cast<float>((b >> 32U) & 0xFFFFU) + static_cast<float>(b >> 48U);
        return (sum * kScale - 2.0F) * 1.7320508F;
    }
    double normal() {
        return std::sqrt(-2.0 * std::log(1.0 - uniform())) * std::cos(2.0 * std::numbers::pi * uniform());
    }

  private:
    std::uint64_t state_;
};

}  // namespace rivlen
