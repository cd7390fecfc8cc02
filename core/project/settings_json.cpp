// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/settings_json.h"

#include <algorithm>

#include "core/base/json_text.h"
#include "core/base/output_file.h"
#include "core/project/corrections_json.h"
#include "core/project/json_reading.h"

namespace rivlen {

namespace {

using json_reading::flag;
using json_reading::number;
using json_reading::part;
using json_reading::text;
using nlohmann::json;

constexpr int kPresetVersion = 1;

std::optional<std::int64_t> frame(const json& entry, const char* key) {
    const json& found = part(entry, key);
    if (!found.is_number_unsigned()) return {};
    const auto value = found.get<std::uint64_t>();
    if (value > (std::uint64_t{1} << 62U)) return {};
    return static_cast<std::int64_t>(value);
}

json to_json(const StemSettings& s) {
    json out = {{"mute", s.mute}, {"solo", s.solo}};
    for (std::size_t i = 0; i < kSettings; ++i) {
        const auto& parameter = info(static_cast<Setting>(i));
        out[parameter.key] = s.values[i];
        if (parameter.switchable) out[std::string(parameter.key) + "-on"] = bool{s.on[i]};
    }
    out["weighting-on"] = s.weighting_on;
    out["weighting"] = json::array();
    for (const auto& point : s.weighting)
        out["weighting"].push_back(
            {{"hz", point.hz}, {"strength", point.strength_percent}, {"on", point.on}});
    return out;
}

StemSettings stem_from_json(const json& entry) {
    StemSettings s;
    s.mute = flag(entry, "mute", false);
    s.solo = flag(entry, "solo", false);
    for (std::size_t i = 0; i < kSettings; ++i) {
        const auto& p = info(static_cast<Setting>(i));
        // Sessions of form 1 had the unit in the name.
        const std::string old = std::string(p.key) + (std::string_view(p.unit) == "%" ? "_percent" : "_db");
        s.values[i] =
            number(entry, p.key, p.lowest, p.highest, number(entry, old, p.lowest, p.highest, p.standard));
        if (p.switchable)
            s.on[i] = flag(entry, std::string(p.key) + "-on", flag(entry, std::string(p.key) + "_on", false));
    }
    s.weighting_on = flag(entry, "weighting-on", true);
    const auto points = entry.find("weighting");
    if (points != entry.end() && points->is_array()) {
        for (const auto& point : *points) {
            if (!point.is_object()) continue;
            s.weighting.push_back({number(point, "hz", kLowestPointHz, kHighestPointHz, 1000),
                                   number(point, "strength", -100, 100, 0), flag(point, "on", true)});
        }
    }
    return s;
}

}  // namespace

json settings_to_json(const ShapeSettings& settings) {
    json out;
    for (std::size_t s = 0; s < kSounds; ++s) {
        if (is_music_part(s) && settings.stems[s].untouched()) continue;  // as a rule
        out[kSoundNames[s]] = to_json(settings.stems[s]);
    }
    out["both-channels"] = settings.both_channels();
    return out;
}

ShapeSettings settings_from_json(const json& entry) {
    ShapeSettings settings;
    if (!entry.is_object()) return settings;
    for (std::size_t s = 0; s < kSounds; ++s) {
        const auto stem = entry.find(kSoundNames[s]);
        if (stem != entry.end() && stem->is_object()) settings.stems[s] = stem_from_json(*stem);
    }
    settings.use_both_channels(flag(entry, "both-channels", false));
    return settings;
}

json lines_to_json(const std::vector<SettingLane>& lines) {
    json out = json::array();
    for (const auto& line : lines) {
        json points = json::array();
        for (const auto& point : line.points)
            points.push_back({{"frame", point.frame}, {"value", point.value}});
        out.push_back({{"stem", kSoundNames[line.stem]},
                       {"setting", info(line.setting).key},
                       {"points", std::move(points)}});
    }
    return out;
}

std::vector<SettingLane> lines_from_json(const json& entry) {
    std::vector<SettingLane> lines;
    if (!entry.is_array()) return lines;
    for (const auto& item : entry) {
        if (!item.is_object()) continue;
        SettingLane line;
        line.stem = sound_named(text(item, "stem"));
        if (line.stem == kSounds) continue;
        const std::string key = text(item, "setting");
        std::size_t index = 0;
        while (index < kSettings && info(static_cast<Setting>(index)).key != key) ++index;
        if (index == kSettings) continue;
        line.setting = static_cast<Setting>(index);
        const auto& p = info(line.setting);
        const auto points = item.find("points");
        if (points == item.end() || !points->is_array()) continue;
        for (const auto& point : *points) {
            if (!point.is_object()) continue;
            if (const auto at = frame(point, "frame"))
                line.points.push_back({*at, number(point, "value", p.lowest, p.highest, p.standard)});
        }
        order_points(line.points);
        if (!line.points.empty()) lines.push_back(std::move(line));
    }
    return lines;
}

json ranges_to_json(const std::vector<SettingsRange>& ranges) {
    json out = json::array();
    for (const auto& range : ranges) {
        out.push_back({{"first", range.first},
                       {"last", range.last},
                       {"fade", range.fade_frames},
                       {"stems", settings_to_json(range.settings)}});
    }
    return out;
}

std::vector<SettingsRange> ranges_from_json(const json& entry) {
    std::vector<SettingsRange> ranges;
    if (!entry.is_array()) return ranges;
    for (const auto& item : entry) {
        if (!item.is_object()) continue;
        const auto first = frame(item, "first");
        const auto last = frame(item, "last");
        if (!first || !last || *last <= *first) continue;
        SettingsRange range{*first, *last, frame(item, "fade").value_or(0), {}};
        const auto stems = item.find("stems");
        if (stems != item.end()) range.settings = settings_from_json(*stems);
        ranges.push_back(std::move(range));
    }
    return ranges;
}

json card_to_json(const Card& card) {
    json out = {{"name", card.name}, {"note", card.note}, {"stems", settings_to_json(card.settings)}};
    if (!card.corrections.empty()) out["corrections"] = corrections_to_json(card.corrections);
    return out;
}

Card card_from_json(const json& entry) {
    Card card;
    card.name = text(entry, "name");
    card.note = text(entry, "note");
    const auto stems = entry.find("stems");
    if (stems != entry.end()) card.settings = settings_from_json(*stems);
    card.corrections = corrections_from_json(json_reading::part(entry, "corrections"));
    return card;
}

Status save_preset(const Card& card, const std::filesystem::path& path) {
    json out = card_to_json(card);
    out["rivlen_preset"] = kPresetVersion;
    return write_text_file(path, out.dump(2, ' ', false, json::error_handler_t::replace) + "\n");
}

Result<Card> load_preset(const std::filesystem::path& path) {
    auto content = read_text_file(path);
    if (!content) return content.error();
    const json value = parse_json(*content);
    if (!value.is_object() || !value.contains("rivlen_preset") ||
        !value["rivlen_preset"].is_number_integer()) {
        return make_error(ErrorKind::BadInput, "\"{}\" is not a preset of Rivlen. Choose another file.",
                          path.string());
    }
    if (value["rivlen_preset"].get<int>() > kPresetVersion) {
        return make_error(ErrorKind::Unsupported,
                          "\"{}\" was saved by a newer Rivlen. Update Rivlen to open it.", path.string());
    }
    return card_from_json(value);
}

}  // namespace rivlen
