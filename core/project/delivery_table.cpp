// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/delivery_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

#include "core/base/json_text.h"
#include "core/base/output_file.h"

namespace rivlen {

namespace {

using nlohmann::json;
constexpr int kTableVersion = 1;

struct Named {
    const char* key;
    const char* label;
};
constexpr std::array<Named, kContents> kContentNames = {{{"mix", "Mix"},
                                                         {"dialogue", "Dialogue"},
                                                         {"reverb", "Reverb"},
                                                         {"music", "Music"},
                                                         {"ambience", "Ambience"},
                                                         {"music-and-effects", "Music and effects"},
                                                         {"voice", "Voice"},
                                                         {"instrumental", "Instrumental"},
                                                         {"music-without-drums", "Music without drums"},
                                                         {"stems", "Stems in one file"},
                                                         {"limiter", "Limiter and buses"}}};
constexpr std::array<Named, kContainers> kContainerNames = {{{"wav", "Broadcast WAV"},
                                                             {"flac", "FLAC"},
                                                             {"opus", "Ogg Opus"},
                                                             {"mp3", "MP3"},
                                                             {"aac", "AAC"},
                                                             {"picture", "Under the picture"}}};
constexpr const char* kBinauralKey = "binaural";
constexpr std::array<const char*, 3> kDepthKeys = {"16", "24", "float"};

template <std::size_t N>
int index_of(const std::array<Named, N>& names, const std::string& key) {
    for (std::size_t i = 0; i < N; ++i) {
        if (key == names[i].key) return static_cast<int>(i);
    }
    return -1;
}

json row_to_json(const HandoverRow& r) {
    return {{"on", r.on},
            {"content", key_of(r.content)},
            {"card", r.card},
            {"version", r.version},
            {"target", r.target},
            {"container", key_of(r.container)},
            {"depth", key_of(r.depth)},
            {"sample_rate", r.sample_rate},
            {"channels", r.binaural ? kBinauralKey : key_of(r.layout)},
            {"objects", r.objects},
            {"ac3", r.ac3},
            {"keep_original_sound", r.keep_original_sound},
            {"language", r.language},
            {"loop_only", r.loop_only},
            {"name", r.name}};
}

// False where a value is none of those there are.
bool row_from_json(const json& v, HandoverRow& r) {
    if (!v.is_object()) return false;
    r.on = v.value("on", true);
    const int content = index_of(kContentNames, v.value("content", "mix"));
    const int container = index_of(kContainerNames, v.value("container", "wav"));
    const auto depth =
        std::ranges::find(kDepthKeys, v.value("depth", "24"), [](const char* k) { return std::string(k); });
    if (content < 0 || container < 0 || depth == kDepthKeys.end()) return false;
    r.content = static_cast<Content>(content);
    r.container = static_cast<Container>(container);
    r.depth = static_cast<Depth>(depth - kDepthKeys.begin());
    // As doubles: what no int holds would be undefined.
    r.card = static_cast<int>(std::clamp(v.value("card", -1.0), -1.0, 5.0));
    r.version = v.value("version", "");
    r.target = v.value("target", "");
    const double sample_rate = v.value("sample_rate", 0.0);
    if (sample_rate != 0 && (sample_rate < 8000 || sample_rate > 192000)) return false;
    r.sample_rate = static_cast<int>(sample_rate);
    // Tables before session form 9 had "mono".
    const std::string channels = v.value("channels", v.value("mono", false) ? "mono" : "stereo");
    const auto layout = layout_of_key(channels);
    r.binaural = channels == kBinauralKey;
    if (!layout && !r.binaural) return false;
    r.layout = layout.value_or(Layout::Stereo);
    r.objects = v.value("objects", false);
    r.ac3 = v.value("ac3", false);
    r.keep_original_sound = v.value("keep_original_sound", false);
    r.language = v.value("language", "und");
    r.loop_only = v.value("loop_only", false);
    r.name = v.value("name", HandoverRow().name);
    return true;
}

}  // namespace

bool holds_layout(Container container, Layout layout) {
    const bool usual = layout == Layout::Mono || layout == Layout::Stereo;
    switch (container) {
        case Container::Wav:
            return true;
        case Container::Flac:
            return usual || layout == Layout::Lcr || layout == Layout::Surround51;
        case Container::Mp3:
            return usual;
        case Container::Opus:
        case Container::Aac:
        case Container::Picture:
            return usual || layout == Layout::Surround51;
    }
    return false;
}

const char* key_of(Content content) {
    return kContentNames[static_cast<std::size_t>(content)].key;
}
const char* label_of(Content content) {
    return kContentNames[static_cast<std::size_t>(content)].label;
}
const char* key_of(Container container) {
    return kContainerNames[static_cast<std::size_t>(container)].key;
}
const char* label_of(Container container) {
    return kContainerNames[static_cast<std::size_t>(container)].label;
}
const char* key_of(Depth depth) {
    return kDepthKeys[static_cast<std::size_t>(depth)];
}

json table_to_json(const HandoverTemplate& value) {
    json out = {{"rivlen_handover", kTableVersion},
                {"name", value.name},
                {"note", value.note},
                {"umid", value.umid},
                {"exchange", value.exchange},
                {"rows", json::array()}};
    for (const auto& row : value.rows) out["rows"].push_back(row_to_json(row));
    for (const auto& t : value.targets) {
        json target = {{"key", t.key},
                       {"name", t.name},
                       {"source", t.source},
                       {"edition", t.edition},
                       {"date", t.date},
                       {"integrated_lufs", t.integrated_lufs},
                       {"tolerance_lu", t.tolerance_lu},
                       {"true_peak_dbtp", t.true_peak_dbtp},
                       {"gate", t.gate == LoudnessGate::Dialogue ? "dialogue" : "programme"}};
        if (t.short_term_lufs) target["short_term_lufs"] = *t.short_term_lufs;
        out["targets"].push_back(std::move(target));
    }
    return out;
}

std::string template_to_json(const HandoverTemplate& value) {
    return table_to_json(value).dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

Result<HandoverTemplate> template_from_json(const std::string& text, const std::string& path) {
    return table_from_json(parse_json(text), path);
}

Result<HandoverTemplate> table_from_json(const json& value, const std::string& path) {
    const auto damaged = [&](const std::string& where) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" is no table of deliveries, or it is damaged{}. Choose another file.", path,
                          where);
    };
    if (!value.is_object() || !value.contains("rivlen_handover") ||
        !value["rivlen_handover"].is_number_integer())
        return damaged("");
    if (value["rivlen_handover"].get<int>() > kTableVersion)
        return make_error(ErrorKind::Unsupported,
                          "\"{}\" was made by a newer Rivlen. Update Rivlen to use it.", path);
    HandoverTemplate out;
    try {
        out.name = value.value("name", "");
        out.note = value.value("note", "");
        out.umid = value.value("umid", false);
        out.exchange = value.value("exchange", false);
        int number = 0;
        for (const auto& v : value.value("rows", json::array())) {
            ++number;
            HandoverRow row;
            if (!row_from_json(v, row)) return damaged(fmt::format(" (row {})", number));
            out.rows.push_back(std::move(row));
        }
        for (const auto& v : value.value("targets", json::array())) {
            LoudnessTarget t;
            t.key = v.at("key").get<std::string>();
            t.name = v.value("name", t.key);
            t.source = v.value("source", "");
            t.edition = v.value("edition", "");
            t.date = v.value("date", "");
            t.integrated_lufs = std::clamp(v.at("integrated_lufs").get<double>(), -60.0, 0.0);
            t.tolerance_lu = std::clamp(v.value("tolerance_lu", 0.5), 0.0, 10.0);
            t.true_peak_dbtp = std::clamp(v.value("true_peak_dbtp", -1.0), -20.0, 0.0);
            t.gate =
                v.value("gate", "programme") == "dialogue" ? LoudnessGate::Dialogue : LoudnessGate::Programme;
            if (v.contains("short_term_lufs"))
                t.short_term_lufs = std::clamp(v.at("short_term_lufs").get<double>(), -60.0, 0.0);
            out.targets.push_back(std::move(t));
        }
    } catch (const json::exception&) {
        return damaged("");
    }
    return out;
}

Result<HandoverTemplate> load_template(const std::filesystem::path& path) {
    auto text = read_text_file(path);
    if (!text) return text.error();
    return template_from_json(*text, path.string());
}

Status save_template(const HandoverTemplate& value, const std::filesystem::path& path) {
    return write_text_file(path, template_to_json(value));
}

std::string file_part(std::string_view text) {
    std::string out;
    for (const char c : text) {
        if (c == '/' || c == '\\' || static_cast<unsigned char>(c) < 32) continue;
        if ((c == ' ' || c == '.') && out.empty()) continue;  // no hidden files
        if (c == ' ' && out.back() == ' ') continue;
        out.push_back(c);
    }
    while (!out.empty() && (out.back() == ' ' || out.back() == '.')) out.pop_back();
    return out;
}

std::string file_name(const HandoverRow& row, const std::string& name, const std::string& picture_ending) {
    const std::array<std::pair<std::string_view, std::string>, 5> marks = {
        {{"{name}", name},
         {"{content}", key_of(row.content)},
         {"{version}", row.version},
         {"{target}", row.target},
         {"{rate}", std::to_string(row.sample_rate)}}};
    std::string filled;
    for (std::size_t at = 0; at < row.name.size();) {
        const auto mark = std::ranges::find_if(
            marks, [&](const auto& m) { return std::string_view(row.name).substr(at).starts_with(m.first); });
        filled +=
            mark != marks.end() ? std::string_view(mark->second) : std::string_view(row.name).substr(at, 1);
        at += mark != marks.end() ? mark->first.size() : 1;
    }
    std::string out = file_part(filled);
    if (out.empty()) out = key_of(row.content);
    constexpr std::array<const char*, kContainers> kEndings = {".wav", ".flac", ".opus", ".mp3", ".m4a", ""};
    return out + (row.container == Container::Picture ? picture_ending
                                                      : kEndings[static_cast<std::size_t>(row.container)]);
}

}  // namespace rivlen
