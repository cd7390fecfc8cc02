// SPDX-License-Identifier: GPL-3.0-or-later
// Ready values of parts for usual tasks. What users keep stands beside them as chains of one part
// (core/project/chain_preset.h).
#pragma once

#include <span>

#include "core/effects/inserts.h"

namespace rivlen {

struct PartPreset {
    EffectType kind;
    const char* name;
    struct Value {
        std::size_t parameter;
        double value;
    };
    std::vector<Value> values;  // the others are standard
};
// Common practice, no source.
[[nodiscard]] std::vector<PartPreset> presets_of(EffectType kind);
// Sets all values of a part.
void apply(const PartPreset& preset, Insert& part);

}  // namespace rivlen
