// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done to masks after the network, measured on mixes of what was learned from, so that the
// figures of docs/model.md stay untouched by the choice.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace rivlen::learn {

struct MaskStudyOptions {
    std::filesystem::path corpus;
    std::vector<std::filesystem::path> models;  // the first alone, and all of them averaged
    int per_kind = 4;
    double seconds = 8.0;
};
// A table, a row a way. Errors: those of opening corpus and models.
[[nodiscard]] Result<std::string> mask_study(const MaskStudyOptions& options);

}  // namespace rivlen::learn
