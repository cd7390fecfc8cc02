// SPDX-License-Identifier: GPL-3.0-or-later
// A level that may be missing: nothing passed the gate, or nothing was there.
#pragma once

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include <fmt/format.h>

namespace rivlen {

using Level = std::optional<double>;  // LUFS, dBFS, dBTP or dB

// The higher of two; a missing one is lower than all.
[[nodiscard]] inline Level higher(Level a, Level b) {
    return a && b ? Level(std::max(*a, *b)) : a ? a : b;
}
[[nodiscard]] inline Level raised(Level level, double gain_db) {
    return level ? Level(*level + gain_db) : level;
}
// "-23.0 LUFS", or "silent".
[[nodiscard]] inline std::string level_words(Level level, const char* unit) {
    return level ? fmt::format("{:.1f} {}", *level, unit) : std::string("silent");
}
// To a hundredth; null when it is missing.
[[nodiscard]] inline nlohmann::json level_json(Level level) {
    return level ? nlohmann::json(std::round(*level * 100) / 100) : nlohmann::json(nullptr);
}

}  // namespace rivlen
