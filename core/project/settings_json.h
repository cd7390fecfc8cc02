// SPDX-License-Identifier: GPL-3.0-or-later
// Settings as JSON, the same in sessions and presets (docs/formats.md).
#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "core/base/result.h"
#include "core/separation/corrections.h"
#include "core/separation/settings.h"
#include "core/separation/timed.h"

namespace rivlen {

[[nodiscard]] nlohmann::json settings_to_json(const ShapeSettings& settings);
// Values out of range are brought into it, what is missing stays neutral.
[[nodiscard]] ShapeSettings settings_from_json(const nlohmann::json& entry);
[[nodiscard]] nlohmann::json lines_to_json(const std::vector<SettingLane>& lines);
[[nodiscard]] std::vector<SettingLane> lines_from_json(const nlohmann::json& entry);
[[nodiscard]] nlohmann::json ranges_to_json(const std::vector<SettingsRange>& ranges);
[[nodiscard]] std::vector<SettingsRange> ranges_from_json(const nlohmann::json& entry);

// A card of settings with a name and a note; as a file of its own it is a preset, which may bring the
// corrections of a recording along. The cards of a session have none: the recording has them.
struct Card {
    std::string name, note;
    ShapeSettings settings;
    std::vector<Correction> corrections{};
    bool operator==(const Card&) const = default;
};
inline constexpr const char* kPresetExtension = ".rivlen-preset";
[[nodiscard]] nlohmann::json card_to_json(const Card& card);
[[nodiscard]] Card card_from_json(const nlohmann::json& entry);
// Errors: Io, DiskFull.
[[nodiscard]] Status save_preset(const Card& card, const std::filesystem::path& path);
// Errors: NotFound, BadInput, Unsupported.
[[nodiscard]] Result<Card> load_preset(const std::filesystem::path& path);

}  // namespace rivlen
