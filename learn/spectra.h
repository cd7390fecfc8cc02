// SPDX-License-Identifier: GPL-3.0-or-later
// The mixer's scenes put together from the spectra of their parts (engine/learning/stem_spectra.h).
#pragma once

#include <array>
#include <vector>

#include "engine/learning/stem_spectra.h"
#include "learn/mixer.h"
#include "learn/tensors.h"

namespace rivlen::learn {

// What a scene is put together from.
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
