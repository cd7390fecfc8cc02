// The rebuild as JSON within a session (docs/formats.md).
#pragma once

#include <filesystem>
#include <functional>
#include <nlohmann/json.hpp>
#include <string>

#include "core/session/rebuild.h"

namespace rivlen {

[[nodiscard]] nlohmann::json rebuild_to_json(
    const Rebuild& rebuild, const std::function<std::string(const std::filesystem::path&)>& path);
// Whatever is damaged is left out or brought into its range; the result is well-formed.
[[nodiscard]] Rebuild rebuild_from_json(const nlohmann::json& entry,
                                        const std::function<std::filesystem::path(const std::string&)>& path);
[[nodiscard]] nlohmann::json chain_to_json(const std::vector<ChainPart>& chain);
[[nodiscard]] std::vector<ChainPart> chain_from_json(const nlohmann::json& entry);

}  // namespace rivlen
