// SPDX-License-Identifier: GPL-3.0-or-later
// The mean of weights that learned on from one another (mean_of_weights() in engine/network.h), as a file.
#pragma once

#include <filesystem>
#include <vector>

#include "core/base/result.h"

namespace rivlen::learn {

struct AverageOptions {
    std::vector<std::filesystem::path> models;  // the last says what kind of network it becomes
    std::filesystem::path out;
    int memory_steps = 0;  // 0: as it is, with the overlap
    int memory_overlap = 0;
};

// Errors: those of load_network() and save_network(); Mismatch.
[[nodiscard]] Status average(const AverageOptions& options);

}  // namespace rivlen::learn
