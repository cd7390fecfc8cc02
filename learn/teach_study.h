// SPDX-License-Identifier: GPL-3.0-or-later
// What teaching a model one recording brings (core/separation/teacher.h): recordings with known parts whose
// first seconds hold one kind of sound alone, taught from those and measured on the rest.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace rivlen::learn {

struct TeachStudyOptions {
    std::filesystem::path corpus, model;
    std::filesystem::path others;  // empty: what comes with the program
    std::vector<int> steps = {180, 540};
    double rate = 5e-4;
    int per_kind = 0;               // recordings at most; 0: as many as docs/teaching.md has
    std::vector<std::string> only;  // names of recordings; none: all
    bool choose = false;  // by the pool that measures are chosen by, not the one that figures are told by
    int workers = 2;
    std::function<void(const std::string&)> log;
};
// Logs a row a recording and their means: SI-SDR of the taught stem and of the voice (of the rest of the
// mix, where the voice was taught) before and after, and what ordinary mixes lose.
[[nodiscard]] Status study_teaching(const TeachStudyOptions& options);

}  // namespace rivlen::learn
