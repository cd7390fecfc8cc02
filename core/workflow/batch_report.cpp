// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/batch_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/json_text.h"
#include "core/base/markup.h"
#include "core/project/json_reading.h"

namespace rivlen {

namespace {

using nlohmann::json;

void add_event(BatchRecording& recording, const json& line, const std::string& source) {
    const std::string event = json_reading::text(line, "event");
    if (std::ranges::find(recording.sources, source) == recording.sources.end())
        recording.sources.push_back(source);
    if (event == "recording_started") {
        ++recording.begun;
        recording.rows = recording.rows_done = 0;
        recording.finished = false;
        recording.sentence.clear();
    } else if (event == "row_started") {
        ++recording.rows;
    } else if (event == "row_done" || event == "row_skipped") {
        ++recording.rows_done;
        const std::string file = json_reading::text(line, "file");
        if (event == "row_done" && ++recording.written[file] == 2) recording.twice.push_back(file);
    } else if (event == "row_failed" || event == "recording_failed") {
        recording.sentence = json_reading::text(line, "sentence");
    } else if (event == "finished") {
        recording.finished = json_reading::flag(line, "all_done", false);
    }
}

}  // namespace

int BatchReport::finished() const {
    return static_cast<int>(
        std::ranges::count_if(recordings, [](const auto& entry) { return entry.second.finished; }));
}

bool BatchReport::all_done() const {
    return std::ranges::all_of(
        recordings, [](const auto& entry) { return entry.second.finished && entry.second.twice.empty(); });
}

void add_events(BatchReport& report, std::istream& lines, const std::string& source) {
    for (std::string text; std::getline(lines, text);) {
        if (text.empty()) continue;
        const json line = parse_json(text);
        const std::string name = line.is_object() ? json_reading::text(line, "name") : std::string();
        if (name.empty()) {
            ++report.damaged_lines;
            continue;
        }
        BatchRecording& recording = report.recordings[name];
        recording.name = name;
        add_event(recording, line, source);
    }
}

std::string batch_report_to_json(const BatchReport& report) {
    json out = {{"rivlen_batch_report", 1},
                {"recordings", json::array()},
                {"finished", report.finished()},
                {"of", report.recordings.size()},
                {"damaged_lines", report.damaged_lines},
                {"all_done", report.all_done()}};
    for (const auto& [name, r] : report.recordings)
        out["recordings"].push_back({{"name", name},
                                     {"finished", r.finished},
                                     {"begun", r.begun},
                                     {"rows", r.rows},
                                     {"rows_done", r.rows_done},
                                     {"written_twice", r.twice},
                                     {"sentence", r.sentence},
                                     {"events", r.sources}});
    return out.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

std::string batch_report_to_csv(const BatchReport& report) {
    std::string out = "recording,finished,begun,rows,rows_done,written_twice,sentence\r\n";
    for (const auto& [name, r] : report.recordings)
        out += fmt::format("{},{},{},{},{},{},{}\r\n", csv_field(name), r.finished ? "yes" : "no", r.begun,
                           r.rows, r.rows_done, r.twice.size(), csv_field(r.sentence));
    return out;
}

}  // namespace rivlen
