// SPDX-License-Identifier: GPL-3.0-or-later
// Scales of music made by rule.
#pragma once

#include <array>
#include <cstddef>

namespace rivlen::learn {

using Scale = std::array<int, 7>;  // semitones above the root
inline constexpr std::array<Scale, 3> kScales = {
    {{0, 2, 4, 5, 7, 9, 11}, {0, 2, 3, 5, 7, 8, 10}, {0, 2, 3, 5, 7, 9, 10}}};  // major, minor, dorian

// Semitones of a degree above the root, 0 the root itself; octaves above and below go on.
[[nodiscard]] inline int semitones_of(const Scale& scale, int degree) {
    const int octave = degree >= 0 ? degree / 7 : (degree - 6) / 7;
    return scale[static_cast<std::size_t>(degree - 7 * octave)] + 12 * octave;
}

}  // namespace rivlen::learn
