// SPDX-License-Identifier: GPL-3.0-or-later
// How well the measured trade-off follows the truth: mixes with known parts, many settings each, estimates
// beside true figures.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "core/base/result.h"

namespace rivlen::learn {

struct TradeOffStudyOptions {
    std::filesystem::path corpus, model;
    std::filesystem::path json;  // every mix and setting; empty: none
    int mixes = 200;
    double seconds = 6.0;
    std::uint64_t seed = 1;  // other seeds, other mixes
    int workers = 1;
    std::function<void(const std::string&)> log;
};

// Mixes with a voice and at least one other part, from readers and packages never learned from. Logs the
// table of docs/tuning.md.
[[nodiscard]] Status study_tradeoff(const TradeOffStudyOptions& options);

}  // namespace rivlen::learn
