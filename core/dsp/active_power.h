// SPDX-License-Identifier: GPL-3.0-or-later
// The level of what sounds, whatever pauses it has.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace rivlen {

// Mean power of the 50 ms blocks that lie within 25 dB of the loudest; of a shorter sound its mean power.
// Nothing for no samples.
[[nodiscard]] double active_power(std::span<const float> x, int sample_rate);
// Of the channel in which it is highest.
[[nodiscard]] double active_power(std::span<const std::vector<float>> channels, int sample_rate);

}  // namespace rivlen
