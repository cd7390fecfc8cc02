// SPDX-License-Identifier: GPL-3.0-or-later
// How well doubt about the parts of music (core/separation/doubt.h) finds the moments at which they are
// wrong: songs with known parts, one model, and the area under the curve.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "core/base/result.h"

namespace rivlen::learn {

struct PartsDoubtOptions {
    std::filesystem::path corpus, model;
    int songs = 60;
    double seconds = 20.0;
    bool choose = false;  // by the pool that measures are chosen by, not the one that figures are told by
    bool scores = false;  // those of people, as they are written, in place of songs by rule
    std::function<void(const std::string&)> log;
};

// Logs the table of docs/music-parts.md: by part, over all steps of 50 ms that are not silent. A step is
// wrong when a part holds at least a tenth of its energy and the masks leave less than half of that in its
// place.
[[nodiscard]] Status study_parts_doubt(const PartsDoubtOptions& options);

}  // namespace rivlen::learn
