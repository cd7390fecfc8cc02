// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes put together from the spectra of their parts: mixing is linear, so that every use of a part after the
// first costs neither a transform nor a pass over samples.
#pragma once

#include <array>
#include <vector>

#include "learn/mixer.h"
#include "learn/tensors.h"

namespace rivlen::learn {

// One stem's STFT on the model's grid.
struct StemSpectra {
    std::size_t frames = 0;
    std::vector<float> values;  // [channel][frame][real, imaginary][kPaddedBins]; empty when silent
    double active_power = 0;    // what levels are set by (mixer.h)
};
inline constexpr std::size_t kPaddedBins = 1040;  // kModelBins, up to whole vectors

struct PartsSpectra {
    std::array<StemSpectra, kStems> stems;
    double bandwidth_hz = 24000;
    std::vector<float> activity;  // as in Parts
};
[[nodiscard]] PartsSpectra spectra_of(const Parts& parts);

// What features_of() and loss_sums() give for Mixer::combine() of the same parts, as long as the scene does
// nothing that is not linear (scene.linear()). Draws from rng what combine() would.
[[nodiscard]] Example example_of(const Scene& scene, const PartsSpectra& voice, const PartsSpectra& music,
                                 const PartsSpectra& ambience, Rng& rng);

}  // namespace rivlen::learn
