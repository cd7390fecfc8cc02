// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of which chains of tracks and buses are made, as data. processor.h makes them sound.
#pragma once

#include <array>
#include <cassert>
#include <span>
#include <string>
#include <vector>

#include "core/base/parameter.h"
#include "core/effects/parameter_block.h"

namespace rivlen {

struct EffectInfo {
    const char* key;  // in files
    const char* label;
    const char* sentence;  // what it is for
    std::span<const ParameterInfo> parameters;
};
[[nodiscard]] const EffectInfo& info(EffectType kind);

struct Insert {
    int id = 0;  // unique in the session
    EffectType kind = EffectType::Gain;
    bool on = true;
    std::vector<double> values;  // by the parameters of info(kind)
    // Hiss: by how much the noise departs from level and tilt, in dB by kNoisePlaces; none: not at all.
    std::vector<float> noise_shape_db = {};
    bool operator==(const Insert&) const = default;
    // One value by its name; the insert is of the kind that has it.
    template <EffectType Kind>
    [[nodiscard]] double operator[](ParameterOf<Kind> parameter) const {
        assert(has_parameters_of(kind, Kind));
        return values[parameter.index];
    }
    template <EffectType Kind>
    [[nodiscard]] double& operator[](ParameterOf<Kind> parameter) {
        assert(has_parameters_of(kind, Kind));
        return values[parameter.index];
    }
};
// With standard values.
[[nodiscard]] Insert make_part(EffectType kind, int id);
inline constexpr double kMostShapeDb = 60;
// Brings values into their ranges and missing ones to their standard; a shape of another size is dropped.
void normalise(Insert& part);

// High-pass, de-esser, compressor and limiter with values of common practice (no source): sibilance between 6
// and 10 kHz, at most 2 dB of it; -24 dB, 3:1, soft knee, 10 ms; ceiling at -0.5 dBTP. Ids are 1 to 4.
[[nodiscard]] std::vector<Insert> voice_start_chain();

}  // namespace rivlen
