// SPDX-License-Identifier: GPL-3.0-or-later
// A check of the machine, not of the model: some builds of matrix libraries compute wrongly on some
// processors. Every weights file carries the masks that its network gives for one second of made-up input,
// and whoever loads it compares.
#pragma once

#include <torch/torch.h>

#include <cstdint>
#include <vector>

#include "engine/network.h"

namespace rivlen {

// [1, 94, 2, 256]; the same on every machine.
[[nodiscard]] torch::Tensor golden_features();
// Masks [94, 4, 256] as code = round(255 mask).
[[nodiscard]] std::vector<std::uint8_t> golden_masks(SeparationNetwork& network);
// Largest difference of a mask from what is stored; 1 when what is stored has another size.
[[nodiscard]] double golden_difference(SeparationNetwork& network, const std::vector<std::uint8_t>& stored);
// Sound machines differ by rounding only: half a code, and what thousands of sums in another order make of
// it.
inline constexpr double kGoldenTolerance = 2.0 / 255.0;

}  // namespace rivlen
