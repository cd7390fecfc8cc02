// SPDX-License-Identifier: GPL-3.0-or-later
// How a steady noise departs from a straight line over octaves: a part of a noise print.
#pragma once

#include <cmath>
#include <cstddef>
#include <span>

namespace rivlen {

// Places a twelfth of an octave apart, from 100 Hz to 20 kHz.
inline constexpr std::size_t kNoisePlaces = 93;
inline constexpr double kLowestNoiseHz = 100;
[[nodiscard]] inline double noise_place_hz(std::size_t place) {
    return kLowestNoiseHz * std::exp2(static_cast<double>(place) / 12);
}
// Between places straight over octaves, beyond them as at the ends. 0 without a shape.
[[nodiscard]] double noise_shape_db(std::span<const float> shape_db, double hz);
// Middle of the scale on which a line over octaves turns.
inline constexpr double kNoiseMiddleHz = 4000;

}  // namespace rivlen
