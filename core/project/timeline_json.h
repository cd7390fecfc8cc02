// SPDX-License-Identifier: GPL-3.0-or-later
// The rebuild as JSON within a session (docs/formats.md).
#pragma once

#include <filesystem>
#include <functional>
#include <nlohmann/json.hpp>
#include <string>

#include "core/project/timeline.h"

namespace rivlen {

[[nodiscard]] nlohmann::json timeline_to_json(
    const Timeline& timeline, const std::function<std::string(const std::filesystem::path&)>& path);
// Whatever is damaged is left out or brought into its range; the result is well-formed.
[[nodiscard]] Timeline timeline_from_json(
    const nlohmann::json& entry, const std::function<std::filesystem::path(const std::string&)>& path);
[[nodiscard]] nlohmann::json chain_to_json(const std::vector<Insert>& chain);
[[nodiscard]] std::vector<Insert> chain_from_json(const nlohmann::json& entry);

}  // namespace rivlen
