// SPDX-License-Identifier: GPL-3.0-or-later
// Marks to teach from and the taught model as JSON (docs/formats.md).
#pragma once

#include <nlohmann/json.hpp>
#include <vector>

#include "core/separation/teaching_mark.h"

namespace rivlen {

[[nodiscard]] nlohmann::json marks_to_json(const std::vector<TeachingMark>& marks);
// What has no length, or is of no kind that can be taught, is left out.
[[nodiscard]] std::vector<TeachingMark> marks_from_json(const nlohmann::json& entry);

}  // namespace rivlen
