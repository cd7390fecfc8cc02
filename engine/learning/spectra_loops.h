// SPDX-License-Identifier: GPL-3.0-or-later
// The loops of stem_spectra.cpp over the bins of a frame, compiled for several instruction sets. A frame is
// kPaddedBins real and then as many imaginary values; what lies beyond the last bin is nothing.
#pragma once

#include <cstddef>

namespace rivlen {

void add_scaled(std::size_t count, const float* from, float gain, float* to);
// |x|^2 of every bin.
void bin_powers(std::size_t bins, const float* frame, float* powers);
// sqrt(|X| |Y|) (2 + cos(angle between X and Y)) and |Y| of every bin; x_powers = |X|^2.
void bin_cross_terms(std::size_t bins, const float* x, const float* x_powers, const float* y, float* cross,
                     float* magnitudes);
void bin_roots(std::size_t bins, const float* powers, float* roots);
// Sum of the first `count`.
float sum_of_bins(std::size_t count, const float* bins);

}  // namespace rivlen
