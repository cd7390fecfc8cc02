// SPDX-License-Identifier: GPL-3.0-or-later
// The Hann window, in the two forms that are of use (F. J. Harris, "On the Use of Windows for Harmonic
// Analysis with the Discrete Fourier Transform", Proc. IEEE 66, 1978).
#pragma once

#include <cmath>
#include <cstddef>
#include <numbers>

namespace rivlen {

// As a DFT wants it: one period of `length` samples; copies at every half, quarter, ... of it add up to a
// constant.
[[nodiscard]] inline double periodic_hann(std::size_t i, std::size_t length) {
    return 0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(length));
}
// Symmetric about the middle of `length` samples, none of them 0.
[[nodiscard]] inline double symmetric_hann(std::size_t i, std::size_t length) {
    return 0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                static_cast<double>(length));
}

}  // namespace rivlen
