// SPDX-License-Identifier: GPL-3.0-or-later
// What a steady noise is made of: learned where it sounds alone, or found in the pauses.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "core/base/audio_block.h"
#include "core/effects/inserts.h"

namespace rivlen {

// Density of the noise: a level and a tilt over octaves, as the hiss part has them, and what departs from
// them.
struct NoisePrint {
    double third_octave_dbfs = -150;  // of the line, around 4 kHz
    double tilt_db = 0;               // of the line, per octave
    std::vector<float> shape_db;      // by kNoisePlaces
};

// The mean of the channels' powers, as the part has it.
//
// From all of a sound in which nothing but the noise is heard. Nothing: shorter than a tenth of a second, or
// silent.
[[nodiscard]] std::optional<NoisePrint> learn_noise_print(const AudioBlock& sound);
// From the quietest tenth of the time, digital silence left out. Nothing: no tenth of a second of it, or
// nothing but silence.
[[nodiscard]] std::optional<NoisePrint> find_noise_print(const AudioBlock& sound);

// Into a part that takes hiss out: its level, tilt and shape, and it acts from the lowest frequency on.
void put_into(const NoisePrint& print, Insert& part);

}  // namespace rivlen
