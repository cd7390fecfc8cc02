// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "learn/mixer.h"

namespace rivlen::learn {

// Power of a sound in the bands of the model's grid, [frame][band], both channels together: what
// band_powers() (core/separation/band_powers.h) says of a recording of it.
[[nodiscard]] std::vector<float> known_powers(const Stereo& sound);

}  // namespace rivlen::learn
