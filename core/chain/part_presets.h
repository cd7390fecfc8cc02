// Ready values of parts for usual tasks. What users keep stands beside them as chains of one part
// (core/session/chain_preset.h).
#pragma once

#include <span>

#include "core/chain/parts.h"

namespace rivlen {

struct PartPreset {
    PartKind kind;
    const char* name;
    struct Value {
        std::size_t parameter;
        double value;
    };
    std::vector<Value> values;  // the others are standard
};
// Common practice, no source.
[[nodiscard]] std::vector<PartPreset> presets_of(PartKind kind);
// Sets all values of a part.
void apply(const PartPreset& preset, ChainPart& part);

}  // namespace rivlen
