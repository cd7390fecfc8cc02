// SPDX-License-Identifier: GPL-3.0-or-later
// What became of many recordings that were delivered by several processes: their lines (rivlen-cli batch) put
// together.
#pragma once

#include <istream>
#include <map>
#include <string>
#include <vector>

namespace rivlen {

struct BatchRecording {
    std::string name;
    int begun = 0;                // how often a process began with it: more than once after a stop
    bool finished = false;        // delivered to its end
    int rows = 0, rows_done = 0;  // of its last try; done: delivered, or found as an earlier try left them
    std::map<std::string, int> written;  // how often each file was
    std::vector<std::string> twice;      // files that were written more than once
    std::string sentence;                // why it failed; empty: it did not
    std::vector<std::string> sources;    // the event files that speak of it
};

struct BatchReport {
    std::map<std::string, BatchRecording> recordings;  // by name
    int damaged_lines = 0;                             // of processes that were killed while writing one
    [[nodiscard]] int finished() const;
    [[nodiscard]] bool all_done() const;  // every recording to its end, and no file written twice
};

// Adds the lines of one process. source: its name in the report.
void add_events(BatchReport& report, std::istream& lines, const std::string& source);
// JSON, and a table for people (CSV, RFC 4180).
[[nodiscard]] std::string batch_report_to_json(const BatchReport& report);
[[nodiscard]] std::string batch_report_to_csv(const BatchReport& report);

}  // namespace rivlen
