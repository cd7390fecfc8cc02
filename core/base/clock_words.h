// SPDX-License-Identifier: GPL-3.0-or-later
// Times in sentences.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <string>

namespace rivlen {

// "03:07"; seconds are cut off. Not negative.
[[nodiscard]] inline std::string clock_words(double seconds) {
    const auto whole = static_cast<int>(std::floor(seconds));
    return fmt::format("{:02d}:{:02d}", whole / 60, whole % 60);
}

}  // namespace rivlen
