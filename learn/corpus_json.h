// SPDX-License-Identifier: GPL-3.0-or-later
// The corpus in JSON: pools, recordings, measures.
#pragma once

#include <nlohmann/json.hpp>

#include "learn/corpus.h"

namespace rivlen::learn {

NLOHMANN_JSON_SERIALIZE_ENUM(Pool, {{Pool::Learn, "learn"}, {Pool::Choose, "choose"}, {Pool::Tell, "tell"}})
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Measures, bandwidth_hz, level_db, level_range_db, noise_floor_db, dc,
                                   clipped_share)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Recording, package, path, group, kind, pool, hash, offset_samples, frames,
                                   channels, measures)

}  // namespace rivlen::learn
