// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/session.h"

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>
#include <set>
#include <utility>

#include "core/base/json_text.h"
#include "core/base/output_file.h"
#include "core/project/json_reading.h"
#include "core/project/teaching_json.h"
#include "core/project/timeline_json.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
using json_reading::flag;
using json_reading::part;
using json_reading::text;
using nlohmann::json;

int count(const json& entry, const char* key, std::uint64_t most = 100000) {
    const json& value = part(entry, key);
    return value.is_number_unsigned() ? static_cast<int>(std::min(value.get<std::uint64_t>(), most)) : 0;
}

// Below the session's folder paths are kept relative to it.
std::string kept_path(const fs::path& path, const fs::path& folder) {
    if (!folder.empty()) {
        const fs::path relative = path.lexically_relative(folder);
        if (!relative.empty() && *relative.begin() != "..") return relative.string();
    }
    return path.string();
}
fs::path found_path(const std::string& kept, const fs::path& folder) {
    const fs::path path = kept;
    return path.is_relative() ? (folder / path).lexically_normal() : path;
}

constexpr std::size_t kMostStretches = 1000;
constexpr std::int64_t kLastFrame = std::int64_t{1} << 37;  // days at any rate

// In order, without overlaps.
std::vector<LoopRange> stretches_from_json(const json& list) {
    std::vector<LoopRange> out;
    for (std::size_t i = 0; list.is_array() && i < list.size() && out.size() < kMostStretches; ++i) {
        const json& e = list[i];
        if (!e.is_array() || e.size() != 2 || !e[0].is_number_unsigned() || !e[1].is_number_unsigned())
            continue;
        const LoopRange range{e[0].get<std::int64_t>(), e[1].get<std::int64_t>()};
        const std::int64_t earliest = out.empty() ? 0 : out.back().last;
        if (range.first >= earliest && range.last > range.first && range.last <= kLastFrame)
            out.push_back(range);
    }
    return out;
}

std::optional<TaughtModel> taught_from_json(const json& entry, const fs::path& folder) {
    if (!entry.is_object() || text(entry, "weights").empty()) return {};
    return TaughtModel{found_path(text(entry, "weights"), folder), flag(entry, "in_use", true)};
}

json taught_to_json(const TaughtModel& taught, const fs::path& folder) {
    return {{"weights", kept_path(taught.weights, folder)}, {"in_use", taught.in_use}};
}

SessionItem item_from_json(const json& entry, const fs::path& folder) {
    SessionItem item;
    item.path = found_path(text(entry, "path"), folder);
    item.hash = text(entry, "hash");
    const auto grouping = std::ranges::find(kChannelGroupings, text(entry, "channels"));
    if (grouping != kChannelGroupings.end())
        item.channels = static_cast<ChannelGrouping>(grouping - kChannelGroupings.begin());
    item.settings = settings_from_json(part(entry, "stems"));
    item.lines = lines_from_json(part(entry, "lines"));
    item.ranges = ranges_from_json(part(entry, "ranges"));
    item.corrections = corrections_from_json(part(entry, "corrections"));
    item.marks = marks_from_json(part(entry, "teaching_marks"));
    item.room_tone = stretches_from_json(part(entry, "room_tone"));
    item.taught = taught_from_json(part(entry, "taught"), folder);
    item.taught_parts = taught_from_json(part(entry, "taught_parts"), folder);
    const json& cards = part(entry, "cards");
    for (std::size_t i = 0; cards.is_array() && i < std::min(cards.size(), kCards); ++i) {
        if (cards[i].is_object()) item.cards[i] = card_from_json(cards[i]);
    }
    const json& comparisons = part(entry, "comparisons");
    for (std::size_t i = 0; comparisons.is_array() && i < comparisons.size(); ++i) {
        const json& c = comparisons[i];
        if (!c.is_object()) continue;
        const int trials = count(c, "trials");
        item.comparisons.push_back(
            {text(c, "first"), text(c, "second"), trials, std::min(count(c, "first_preferred"), trials)});
    }
    const auto loop = entry.find("loop_frames");
    if (loop != entry.end() && loop->is_array() && loop->size() == 2 && (*loop)[0].is_number_unsigned() &&
        (*loop)[1].is_number_unsigned()) {
        const LoopRange range{(*loop)[0].get<std::int64_t>(), (*loop)[1].get<std::int64_t>()};
        if (range.first >= 0 && range.last > range.first) item.loop = range;
    }
    item.loop_on = flag(entry, "loop_on", true);
    item.pre_roll_frames = count(entry, "pre_roll_frames", 60 * kMaxSampleRate);
    return item;
}

json session_json(const Session& session, const fs::path& folder) {
    json out = {{"rivlen_session", kSessionVersion},
                {"current", session.current},
                {"monitor", kMonitorKeys[static_cast<std::size_t>(session.monitor)]},
                {"level_match", session.level_match},
                {"recordings", json::array()}};
    for (const auto& item : session.items) {
        json entry = {{"path", kept_path(item.path, folder)}, {"hash", item.hash}, {"loop_on", item.loop_on}};
        if (item.pre_roll_frames > 0) entry["pre_roll_frames"] = item.pre_roll_frames;
        if (item.channels != ChannelGrouping::Pairs)
            entry["channels"] = kChannelGroupings[static_cast<std::size_t>(item.channels)];
        entry["stems"] = settings_to_json(item.settings);
        if (!item.lines.empty()) entry["lines"] = lines_to_json(item.lines);
        if (!item.ranges.empty()) entry["ranges"] = ranges_to_json(item.ranges);
        for (const auto& card : item.cards)
            entry["cards"].push_back(card ? card_to_json(*card) : json(nullptr));
        for (const auto& c : item.comparisons) {
            entry["comparisons"].push_back({{"first", c.first},
                                            {"second", c.second},
                                            {"trials", c.trials},
                                            {"first_preferred", c.first_preferred}});
        }
        if (!item.corrections.empty()) entry["corrections"] = corrections_to_json(item.corrections);
        if (!item.marks.empty()) entry["teaching_marks"] = marks_to_json(item.marks);
        for (const auto& stretch : item.room_tone)
            entry["room_tone"].push_back({stretch.first, stretch.last});
        if (item.taught) entry["taught"] = taught_to_json(*item.taught, folder);
        if (item.taught_parts) entry["taught_parts"] = taught_to_json(*item.taught_parts, folder);
        if (item.loop) entry["loop_frames"] = {item.loop->first, item.loop->last};
        out["recordings"].push_back(std::move(entry));
    }
    if (!(session.timeline == Timeline{}))
        out["rebuild"] =
            timeline_to_json(session.timeline, [&](const fs::path& path) { return kept_path(path, folder); });
    if (session.deliveries != standard_template()) out["deliveries"] = table_to_json(session.deliveries);
    return out;
}

std::string printed(const json& value) {
    return value.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

}  // namespace

TimedSettings SessionItem::timed() const {
    TimedSettings out(settings);
    out.lines = lines;
    out.ranges = ranges;
    return out;
}

const SettingsRange* SessionItem::own_range() const {
    if (!loop || !loop_on) return nullptr;
    const auto found = std::ranges::find_if(
        ranges, [this](const SettingsRange& r) { return r.first == loop->first && r.last == loop->last; });
    return found != ranges.end() ? &*found : nullptr;
}

const ShapeSettings& SessionItem::edited() const {
    const SettingsRange* range = own_range();
    return range != nullptr ? range->settings : settings;
}

ShapeSettings SessionItem::edited_at(std::int64_t frame) const {
    return own_range() != nullptr ? edited() : timed().base_at(frame);
}

std::optional<LoopRange> SessionItem::heard_loop() const {
    if (!loop || !loop_on) return {};
    return LoopRange{std::max<std::int64_t>(0, loop->first - pre_roll_frames), loop->last};
}

ShapeSettings& SessionItem::edited() {
    return const_cast<ShapeSettings&>(std::as_const(*this).edited());  // NOLINT: the object is not const here
}

std::string session_to_json(const Session& session) {
    return printed(session_json(session, {}));
}

Result<Session> session_from_json(const std::string& source, const fs::path& folder) {
    const json value = parse_json(source);
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
    session.timeline = timeline_from_json(part(value, "rebuild"),
                                          [&](const std::string& path) { return found_path(path, folder); });
    if (const auto table = table_from_json(part(value, "deliveries"), {}); table) session.deliveries = *table;
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

std::vector<fs::path> added_media(const Session& session) {
    std::set<fs::path> paths;
    for (const auto& track : session.timeline.tracks) {
        for (const auto& clip : track.clips) paths.insert(clip.path);
    }
    for (const auto& cut : session.timeline.picture) paths.insert(cut.path);
    for (const auto& item : session.items) paths.erase(item.path);
    return {paths.begin(), paths.end()};
}

std::vector<fs::path> missing_media(const Session& session) {
    std::vector<fs::path> missing;
    std::error_code error;
    for (const auto& item : session.items) {
        if (!fs::exists(item.path, error)) missing.push_back(item.path);
    }
    for (const auto& path : added_media(session)) {
        if (!fs::exists(path, error)) missing.push_back(path);
    }
    return missing;
}

}  // namespace rivlen
