// SPDX-License-Identifier: GPL-3.0-or-later
// Where one kind of sound is alone in a recording, and the model that learned from it.
#pragma once

#include <cstdint>
#include <filesystem>

#include "core/separation/bands.h"

namespace rivlen {

struct TeachingMark {
    Stem stem = Stem::Ambience;  // of what sounds alone; a talker is Stem::Dialogue, with all reverb
    std::int64_t first = 0;      // frame of the recording
    std::int64_t last = 0;       // one past the end
    bool operator==(const TeachingMark&) const = default;
};

struct TaughtModel {
    std::filesystem::path weights;  // what sets it apart from the model that was taught
    bool in_use = true;             // its masks are the recording's; else those of the model as it comes
    bool operator==(const TaughtModel&) const = default;
};

}  // namespace rivlen
