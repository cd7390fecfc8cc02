// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <fstream>
#include <memory>

#include "cli/commands.h"
#include "core/base/output_file.h"
#include "core/workflow/batch_report.h"

namespace rivlen::cli {

namespace {

namespace fs = std::filesystem;

struct BatchReportOptions {
    std::vector<fs::path> events;
    fs::path out;
};

Status run_batch_report(const BatchReportOptions& o) {
    BatchReport report;
    for (const auto& file : o.events) {
        std::ifstream lines(file);
        if (!lines) return make_error(ErrorKind::NotFound, "\"{}\" cannot be read.", file.string());
        add_events(report, lines, file.filename().string());
    }
    if (auto s = write_beside_earlier(o.out / "batch report.json", batch_report_to_json(report)); !s)
        return s;
    if (auto s = write_beside_earlier(o.out / "batch report.csv", batch_report_to_csv(report)); !s) return s;
    fmt::print("{} of {} recordings were delivered.\n", report.finished(), report.recordings.size());
    for (const auto& [name, recording] : report.recordings) {
        if (!recording.finished)
            fmt::print("{}: {}\n", name, recording.sentence.empty() ? "not to its end" : recording.sentence);
        for (const auto& file : recording.twice) fmt::print("{}: \"{}\" was written twice\n", name, file);
    }
    if (report.all_done()) return {};
    return make_error(ErrorKind::Io, "Not everything was delivered; see \"{}\".",
                      (o.out / "batch report.csv").string());
}

}  // namespace

void add_batch_report(CLI::App& app, Status& status) {
    auto options = std::make_shared<BatchReportOptions>();
    auto* command = app.add_subcommand(
        "batch-report", "Put the lines that several runs of batch have printed into one report");
    command->add_option("EVENTS", options->events, "Files with these lines")->required();
    command->add_option("-o,--output", options->out, "Folder for the report")->required();
    command->callback([options, &status] { status = run_batch_report(*options); });
}

}  // namespace rivlen::cli
