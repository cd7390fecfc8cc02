// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/corrections_json.h"

#include <array>

#include "core/base/json_text.h"
#include "core/base/output_file.h"
#include "core/project/json_reading.h"

namespace rivlen {

namespace {

using json_reading::flag;
using json_reading::number;
using json_reading::part;
using json_reading::place_of;
using json_reading::text;
using nlohmann::json;

// 2: with parts of the music, of which an older program would make something else.
constexpr int kCorrectionsVersion = 2;
constexpr std::array<const char*, 3> kShapeKeys = {"box", "outline", "brush"};

json region_to_json(const Region& region) {
    json points = json::array();
    for (const auto& point : region.points) points.push_back({point.seconds, point.hz});
    json out = {{"shape", kShapeKeys[static_cast<std::size_t>(region.shape)]},
                {"points", std::move(points)},
                {"edge_ms", region.edge_ms},
                {"edge_semitones", region.edge_semitones}};
    const Region standard;
    if (region.shape == RegionShape::Brush || region.brush_ms != standard.brush_ms ||
        region.brush_semitones != standard.brush_semitones) {
        out["brush_ms"] = region.brush_ms;
        out["brush_semitones"] = region.brush_semitones;
    }
    if (region.harmonics) out["harmonics"] = true;
    if (region.partial != standard.partial) out["partial"] = region.partial;
    return out;
}

Region region_from_json(const json& entry) {
    const Region standard;
    Region region;
    if (!entry.is_object()) return region;
    region.shape = static_cast<RegionShape>(place_of(kShapeKeys, text(entry, "shape")).value_or(0));
    const json& points = part(entry, "points");
    for (std::size_t i = 0; points.is_array() && i < points.size(); ++i) {
        const json& p = points[i];
        if (p.is_array() && p.size() == 2 && p[0].is_number() && p[1].is_number())
            region.points.push_back({p[0].get<double>(), p[1].get<double>()});
    }
    region.edge_ms = number(entry, "edge_ms", 0, 10000, standard.edge_ms);
    region.edge_semitones = number(entry, "edge_semitones", 0, 60, standard.edge_semitones);
    region.brush_ms = number(entry, "brush_ms", 1, 10000, standard.brush_ms);
    region.brush_semitones = number(entry, "brush_semitones", 0, 60, standard.brush_semitones);
    region.harmonics = flag(entry, "harmonics", false);
    region.partial = static_cast<int>(number(entry, "partial", 1, kMostPartials, 1));
    return region;
}

json to_json(const Correction& c) {
    json out = {{"id", c.id},
                {"name", c.name},
                {"on", c.on},
                {"act", info(c.act).key},
                {"strength", c.strength_percent},
                {"region", region_to_json(c.region)}};
    if (c.outside) out["outside"] = true;
    const Correction standard;
    if (c.act == CorrectionAct::TakeDown || c.take_down_db != standard.take_down_db)
        out["take_down_db"] = c.take_down_db;
    const bool as_it_comes =
        given_to(c) == given_to(standard) && c.from == standard.from && c.from_parts == standard.from_parts;
    if (c.act != CorrectionAct::Give && as_it_comes) return out;
    out["to"] = kSoundNames[given_to(c)];
    out["from"] = json::array();
    for (std::size_t s = 0; s < kStems; ++s) {
        if (c.from[s]) out["from"].push_back(kStemNames[s]);
    }
    if (c.from_parts == standard.from_parts) return out;
    out["from_parts"] = json::array();
    for (std::size_t p = 0; p < kMusicParts; ++p) {
        if (c.from_parts[p]) out["from_parts"].push_back(kSoundNames[kStems + p]);
    }
    return out;
}

std::optional<Correction> from_json(const json& entry) {
    if (!entry.is_object()) return {};
    std::array<const char*, kCorrectionActs> acts{};
    for (std::size_t i = 0; i < kCorrectionActs; ++i) acts[i] = info(static_cast<CorrectionAct>(i)).key;
    const auto act = place_of(acts, text(entry, "act"));
    if (!act) return {};
    const Correction standard;
    Correction c;
    c.id = static_cast<int>(number(entry, "id", 0, 1e9, 0));
    c.name = text(entry, "name");
    c.on = flag(entry, "on", true);
    c.act = static_cast<CorrectionAct>(*act);
    c.outside = flag(entry, "outside", false);
    c.region = region_from_json(part(entry, "region"));
    c.strength_percent = number(entry, "strength", 0, 100, standard.strength_percent);
    c.take_down_db = number(entry, "take_down_db", 0, kMostTakeDownDb, standard.take_down_db);
    give_to(c, place_of(kSoundNames, text(entry, "to")).value_or(0));
    const auto flags = [&entry](const char* key, std::size_t first, std::span<bool> on) {
        const json& names = part(entry, key);
        if (!names.is_array()) return;
        std::ranges::fill(on, false);
        for (const auto& name : names) {
            if (!name.is_string()) continue;
            const auto sound = place_of(kSoundNames, name.get<std::string>());
            if (sound && *sound >= first && *sound < first + on.size()) on[*sound - first] = true;
        }
    };
    flags("from", 0, c.from);
    flags("from_parts", kStems, c.from_parts);
    return c;
}

}  // namespace

json corrections_to_json(std::span<const Correction> corrections) {
    json out = json::array();
    for (const auto& c : corrections) out.push_back(to_json(c));
    return out;
}

std::vector<Correction> corrections_from_json(const json& entry) {
    std::vector<Correction> out;
    for (std::size_t i = 0; entry.is_array() && i < entry.size(); ++i) {
        if (auto c = from_json(entry[i])) out.push_back(std::move(*c));
    }
    normalise(out);
    return out;
}

std::string corrections_file_text(std::span<const Correction> corrections) {
    const bool parts = std::ranges::any_of(corrections, [](const Correction& c) {
        return c.to_part || c.from_parts != Correction().from_parts;
    });
    const json out = {{"rivlen_corrections", parts ? kCorrectionsVersion : 1},
                      {"corrections", corrections_to_json(corrections)}};
    return out.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

Status save_corrections(std::span<const Correction> corrections, const std::filesystem::path& path) {
    return write_text_file(path, corrections_file_text(corrections));
}

Result<std::vector<Correction>> load_corrections(const std::filesystem::path& path) {
    auto content = read_text_file(path);
    if (!content) return content.error();
    const json value = parse_json(*content);
    if (!value.is_object() || !part(value, "rivlen_corrections").is_number_integer())
        return make_error(ErrorKind::BadInput, "\"{}\" holds no corrections of Rivlen. Choose another file.",
                          path.string());
    if (value["rivlen_corrections"].get<std::int64_t>() > kCorrectionsVersion)
        return make_error(ErrorKind::Unsupported,
                          "\"{}\" was saved by a newer Rivlen. Update Rivlen to open it.", path.string());
    return corrections_from_json(part(value, "corrections"));
}

}  // namespace rivlen
