// SPDX-License-Identifier: GPL-3.0-or-later
// How well doubt (core/separation/doubt.h) finds the moments at which masks are wrong: mixes with known
// parts, two models, and the area under the curve of what is found against what is falsely alarmed.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "core/base/result.h"

namespace rivlen::learn {

struct DoubtStudyOptions {
    std::filesystem::path corpus, shown, other;  // the model whose masks are judged, and the one beside it
    int per_kind = 20;
    double seconds = 8.0;
    bool choose = false;  // by the pool that measures are chosen by, not the one that figures are told by
    std::function<void(const std::string&)> log;
};

// Logs the table of docs/correcting.md: for every measure the area under the curve over all steps of 50 ms
// that are not silent. A step is wrong when voice, music or ambience holds at least a tenth of its energy and
// the masks leave less than half of that in its place.
[[nodiscard]] Status study_doubt(const DoubtStudyOptions& options);

}  // namespace rivlen::learn
