// SPDX-License-Identifier: GPL-3.0-or-later
// Values of a JSON object that may be anything: of the wanted kind and in range, or else the given one.
#pragma once

#include <algorithm>
#include <nlohmann/json.hpp>
#include <optional>
#include <span>
#include <string>

namespace rivlen::json_reading {

// The value under a key; null when it is missing.
[[nodiscard]] inline const nlohmann::json& part(const nlohmann::json& entry, const std::string& key) {
    static const nlohmann::json none;
    const auto found = entry.find(key);
    return found != entry.end() ? *found : none;
}

[[nodiscard]] inline bool flag(const nlohmann::json& entry, const std::string& key, bool otherwise) {
    const auto& value = part(entry, key);
    return value.is_boolean() ? value.get<bool>() : otherwise;
}

[[nodiscard]] inline std::string text(const nlohmann::json& entry, const std::string& key) {
    const auto& value = part(entry, key);
    return value.is_string() ? value.get<std::string>() : std::string();
}

[[nodiscard]] inline double number(const nlohmann::json& entry, const std::string& key, double lowest,
                                   double highest, double otherwise) {
    const auto& value = part(entry, key);
    return value.is_number() ? std::clamp(value.get<double>(), lowest, highest) : otherwise;
}

// Which of the keys it is.
[[nodiscard]] inline std::optional<std::size_t> place_of(std::span<const char* const> keys,
                                                         const std::string& key) {
    const auto found = std::ranges::find(keys, key);
    if (found == keys.end()) return {};
    return static_cast<std::size_t>(found - keys.begin());
}

}  // namespace rivlen::json_reading
