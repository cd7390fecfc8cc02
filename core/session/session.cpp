#include "core/session/session.h"

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

#include "core/base/output_file.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr std::array<const char*, kMonitors> kMonitorKeys = {"source", "kept",  "removed", "dialogue",
                                                             "reverb", "music", "ambience"};

json to_json(const StemSettings& s) {
    return {{"isolation_percent", s.isolation_percent},
            {"floor_db", s.floor_db},
            {"floor_on", s.floor_on},
            {"gain_db", s.gain_db},
            {"mute", s.mute},
            {"solo", s.solo}};
}

// Values from a file may be anything: they are brought into the range of their setting.
double ranged(const json& entry, const char* key, const ParameterInfo& info, double otherwise) {
    const auto found = entry.find(key);
    if (found == entry.end() || !found->is_number()) return otherwise;
    return std::clamp(found->get<double>(), info.lowest, info.highest);
}

bool flag(const json& entry, const char* key, bool otherwise) {
    const auto found = entry.find(key);
    return found != entry.end() && found->is_boolean() ? found->get<bool>() : otherwise;
}

std::string text(const json& entry, const char* key) {
    const auto found = entry.find(key);
    return found != entry.end() && found->is_string() ? found->get<std::string>() : "";
}

StemSettings stem_from_json(const json& entry) {
    StemSettings s;
    s.isolation_percent = ranged(entry, "isolation_percent", isolation_info(), s.isolation_percent);
    s.floor_db = ranged(entry, "floor_db", floor_info(), s.floor_db);
    s.gain_db = ranged(entry, "gain_db", gain_info(), s.gain_db);
    s.floor_on = flag(entry, "floor_on", false);
    s.mute = flag(entry, "mute", false);
    s.solo = flag(entry, "solo", false);
    return s;
}

SessionItem item_from_json(const json& entry, const fs::path& folder) {
    SessionItem item;
    item.path = text(entry, "path");
    if (item.path.is_relative()) item.path = (folder / item.path).lexically_normal();
    item.hash = text(entry, "hash");
    const auto stems = entry.find("stems");
    if (stems != entry.end() && stems->is_object()) {
        for (std::size_t s = 0; s < kStems; ++s) {
            const auto stem = stems->find(kStemNames[s]);
            if (stem != stems->end() && stem->is_object()) item.settings.stems[s] = stem_from_json(*stem);
        }
    }
    const auto loop = entry.find("loop_frames");
    if (loop != entry.end() && loop->is_array() && loop->size() == 2 && (*loop)[0].is_number_unsigned() &&
        (*loop)[1].is_number_unsigned()) {
        const LoopRange range{(*loop)[0].get<std::int64_t>(), (*loop)[1].get<std::int64_t>()};
        if (range.first >= 0 && range.last > range.first) item.loop = range;
    }
    item.loop_on = flag(entry, "loop_on", true);
    return item;
}

json session_json(const Session& session, const fs::path& folder) {
    json out = {{"rivlen_session", kSessionVersion},
                {"current", session.current},
                {"monitor", kMonitorKeys[static_cast<std::size_t>(session.monitor)]},
                {"level_match", session.level_match},
                {"recordings", json::array()}};
    for (const auto& item : session.items) {
        fs::path path = item.path;
        if (!folder.empty()) {
            const fs::path relative = item.path.lexically_relative(folder);
            if (!relative.empty() && *relative.begin() != "..") path = relative;
        }
        json entry = {{"path", path.string()}, {"hash", item.hash}, {"loop_on", item.loop_on}};
        for (std::size_t s = 0; s < kStems; ++s)
            entry["stems"][kStemNames[s]] = to_json(item.settings.stems[s]);
        if (item.loop) entry["loop_frames"] = {item.loop->first, item.loop->last};
        out["recordings"].push_back(std::move(entry));
    }
    return out;
}

std::string printed(const json& value) {
    return value.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

}  // namespace

std::string session_to_json(const Session& session) {
    return printed(session_json(session, {}));
}

Result<Session> session_from_json(const std::string& source, const fs::path& folder) {
    const json value = json::parse(source, nullptr, false);
    if (!value.is_object() || !value.contains("rivlen_session") ||
        !value["rivlen_session"].is_number_integer()) {
        return make_error(
            ErrorKind::BadInput,
            "This is not a Rivlen session, or it is damaged. Open another session, or its last backup.");
    }
    const int version = value["rivlen_session"].get<int>();
    if (version > kSessionVersion) {
        return make_error(ErrorKind::Unsupported,
                          "This session was saved by a newer Rivlen (form {}, this one reads up to {}). "
                          "Update Rivlen to open it.",
                          version, kSessionVersion);
    }
    Session session;
    const auto recordings = value.find("recordings");
    if (recordings != value.end() && recordings->is_array()) {
        for (const auto& entry : *recordings) {
            if (entry.is_object()) session.items.push_back(item_from_json(entry, folder));
        }
    }
    const int count = static_cast<int>(session.items.size());
    const auto current = value.find("current");
    session.current = current != value.end() && current->is_number_integer() ? current->get<int>() : 0;
    session.current = count == 0 ? -1 : std::clamp(session.current, 0, count - 1);
    const std::string monitor = text(value, "monitor");
    const auto found = std::ranges::find(kMonitorKeys, monitor);
    if (found != kMonitorKeys.end()) session.monitor = static_cast<Monitor>(found - kMonitorKeys.begin());
    session.level_match = flag(value, "level_match", true);
    return session;
}

Status save_session(const Session& session, const fs::path& path) {
    std::error_code error;
    return write_text_file(path, printed(session_json(session, fs::absolute(path, error).parent_path())));
}

Result<Session> load_session(const fs::path& path) {
    auto content = read_text_file(path);
    if (!content) return content.error();
    std::error_code error;
    auto session = session_from_json(*content, fs::absolute(path, error).parent_path());
    if (!session)
        return make_error(session.error().kind, "\"{}\": {}", path.string(), session.error().message);
    return session;
}

std::vector<fs::path> missing_media(const Session& session) {
    std::vector<fs::path> missing;
    std::error_code error;
    for (const auto& item : session.items) {
        if (!fs::exists(item.path, error)) missing.push_back(item.path);
    }
    return missing;
}

}  // namespace rivlen
