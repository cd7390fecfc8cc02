// SPDX-License-Identifier: GPL-3.0-or-later
// Planar channels to interleaved samples.
#pragma once

#include <span>
#include <vector>

namespace rivlen {

// channels: of equal lengths.
void interleave(std::span<const std::vector<float>> channels, std::vector<float>& out);

}  // namespace rivlen
