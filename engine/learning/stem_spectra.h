// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes put together from the spectra of their parts: mixing is linear, so that every use of a part after the
// first costs neither a transform nor a pass over samples.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "engine/learning/examples.h"

namespace rivlen {

// One stem's STFT on the model's grid.
struct StemSpectra {
    std::size_t frames = 0;
    std::vector<float> values;  // [channel][frame][real, imaginary][kPaddedBins]; empty when silent
    double active_power = 0;    // core/dsp/active_power.h, of the louder side
};
inline constexpr std::size_t kPaddedBins = 1040;  // kModelBins, up to whole vectors

// sides: left and right at kModelRate, equally long.
[[nodiscard]] StemSpectra spectra_of(std::span<const std::vector<float>, 2> sides);

// A mix of stems.
struct Blend {
    std::size_t frames = 0;                          // of all stems
    std::array<const StemSpectra*, kStems> stems{};  // null: does not sound
    std::array<float, kStems> gains{1.0F, 1.0F, 1.0F, 1.0F};
    bool mono = false;                      // both sides become their mean
    std::span<const float> music_gains{};   // of every frame, as by ducking; empty: none
    std::size_t learned_bins = kModelBins;  // what lies above them does not count in the loss
};
[[nodiscard]] Example example_of(const Blend& blend);

}  // namespace rivlen
