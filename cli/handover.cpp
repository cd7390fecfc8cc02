// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <chrono>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>
#include <thread>

#include "cli/commands.h"
#include "cli/page_pdf.h"
#include "cli/recording.h"
#include "cli/terminal.h"
#include "core/base/output_file.h"
#include "core/delivery/deliver.h"
#include "core/delivery/exchange.h"
#include "core/delivery/report.h"
#include "core/workflow/batch.h"
#include "core/workflow/placing.h"
#include "core/workflow/session_media.h"

namespace rivlen::cli {

namespace {

namespace fs = std::filesystem;

struct HandoverOptions {
    RecordingOptions how;  // FILE is the session, the recording, the list or the folder
    fs::path table, out;
    std::string name, shard, paper;
    int jobs = 2;
    std::filesystem::path head;
    double settle_seconds = 5, stop_after_seconds = 0;
    bool replace = false, check_only = false, exchange = false, pdf = false, watch = false;
};

void print_line(const nlohmann::json& value) {
    fmt::print("{}\n", value.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
    std::fflush(stdout);
}

// What an event is called in the lines that are printed.
const char* name_of(DeliveryStep step) {
    constexpr std::array<const char*, 5> kNames = {"row_started", "row_done", "row_skipped", "row_failed",
                                                   "row_cancelled"};
    return kNames[static_cast<std::size_t>(step)];
}

// The table that was named, else that of the session, which is the standard one where nothing was changed.
Result<HandoverTemplate> table_of(const HandoverOptions& o, const Session& session = {}) {
    return o.table.empty() ? Result<HandoverTemplate>(session.deliveries) : load_template(o.table);
}

// A recording by itself: its stems on tracks, under its picture when it has one.
Result<Session> session_of_recording(const fs::path& file, const RecordingOptions& how) {
    RecordingOptions options = how;
    options.file = file;
    const auto info = probe(file);
    if (!info) return info.error();
    const auto recording = open_recording(options);
    if (!recording) return recording.error();
    return rivlen::session_of_recording(placed_recording(fs::absolute(file), recording->source, *info),
                                        recording->source.hash());
}

// One session delivered, with lines about it.
Result<DeliveryReport> hand_over(const HandoverOptions& o, Session session, const HandoverTemplate& table,
                                 const std::string& name, const fs::path& folder) {
    TerminalStages stages;
    Session asked = session;
    asked.deliveries = table;  // what it leaves out of the music is found first
    auto media = load_media(asked, o.how.split, std::ref(stages));
    if (!media) return media.error();
    for (const auto& [file, loaded] : *media) tell_warnings(*loaded.source);
    fit_to_media(session.timeline, *media);
    DeliveryPlan plan{
        session, std::move(*media), table, name, folder, o.how.split.work_folder, o.replace, o.jobs, o.head};
    plan.table.exchange = plan.table.exchange || o.exchange;
    for (const auto& trouble : check(plan))
        print_line({{"event", trouble.error ? "error" : "note"},
                    {"name", name},
                    {"row", trouble.row + 1},
                    {"sentence", trouble.sentence}});
    if (o.check_only) return DeliveryReport{};
    TerminalJob job("Delivering");
    auto report = deliver(plan, job.control(), [&](const DeliveryEvent& e) {
        nlohmann::json line = {
            {"event", name_of(e.step)}, {"name", name}, {"row", e.row + 1}, {"file", e.file}};
        if (!e.sentence.empty()) line["sentence"] = e.sentence;
        print_line(line);
    });
    if (!report) return report.error();
    if (auto s = write_papers(plan, *report, job.control()); !s) return s.error();
    if (o.pdf) {
        if (auto s = page_to_pdf(report_page(report->name, folder), o.paper); !s) return s.error();
    }
    nlohmann::json line = {{"event", "finished"},
                           {"name", name},
                           {"all_done", report->all_done()},
                           {"times_real_time", report->times_real_time}};
    for (const auto& s : report->sums) line["stems_less_mix_dbfs"].push_back(level_json(s.peak_dbfs));
    print_line(line);
    return report;
}

Status failed_rows(const DeliveryReport& report) {
    for (const auto& row : report.rows) {
        if (row.state == RowState::Cancelled) return JobControl::cancelled_error();
        if (row.state == RowState::Failed)
            return make_error(ErrorKind::Io, "Not everything was delivered: {}", row.sentence);
    }
    return {};
}

Status run_handover(const HandoverOptions& o) {
    const bool is_session = o.how.file.extension() == kSessionExtension;
    const auto session = is_session ? load_session(o.how.file) : session_of_recording(o.how.file, o.how);
    if (!session) return session.error();
    const auto table = table_of(o, *session);
    if (!table) return table.error();
    const auto report =
        hand_over(o, *session, *table, o.name.empty() ? o.how.file.stem().string() : o.name, o.out);
    return report ? failed_rows(*report) : Status(report.error());
}

// ---- many recordings

Status deliver_recording(const HandoverOptions& o, const BatchEntry& entry, const HandoverTemplate& table) {
    const auto& [file, name] = entry;
    print_line({{"event", "recording_started"}, {"name", name}, {"path", file.string()}});
    const auto session = session_of_recording(file, o.how);
    Status status;
    if (!session) {
        status = session.error();
    } else {
        const auto report = hand_over(o, *session, table, name, o.out / name);
        status = report ? failed_rows(*report) : Status(report.error());
    }
    if (!status)
        print_line({{"event", "recording_failed"}, {"name", name}, {"sentence", status.error().message}});
    return status;
}

// Takes what lies in the folder once its size and time have stood still for a while.
Status watch(const HandoverOptions& o, const HandoverTemplate& table) {
    struct Seen {
        std::uintmax_t size = 0;
        fs::file_time_type time;
        std::chrono::steady_clock::time_point since;
        bool taken = false;
    };
    std::map<fs::path, Seen> seen;
    const auto begun = std::chrono::steady_clock::now();
    auto last = begun;
    stop_on_signals();
    while (!stopped()) {
        const auto entries = batch_of(o.how.file);
        if (!entries) return entries.error();
        for (const auto& entry : *entries) {
            if (stopped()) break;
            const fs::path& file = entry.file;
            std::error_code error;
            const auto size = fs::file_size(file, error);
            const auto time = fs::last_write_time(file, error);
            const auto now = std::chrono::steady_clock::now();
            Seen& s = seen[file];
            if (s.size != size || s.time != time) s = {size, time, now, false};
            const double still = std::chrono::duration<double>(now - s.since).count();
            if (s.taken || size == 0 || still < o.settle_seconds) continue;
            s.taken = true;
            (void)deliver_recording(o, entry, table);  // said in its lines; the next one may fare better
            last = std::chrono::steady_clock::now();
        }
        const double idle = std::chrono::duration<double>(std::chrono::steady_clock::now() - last).count();
        if (o.stop_after_seconds > 0 && idle > o.stop_after_seconds) break;
        std::this_thread::sleep_for(std::chrono::milliseconds(250));
    }
    return {};
}

Status run_batch(const HandoverOptions& o) {
    const auto table = table_of(o);
    if (!table) return table.error();
    const auto shard = shard_of(o.shard);
    if (!shard) return shard.error();
    if (o.watch) return watch(o, *table);
    const auto entries = batch_of(o.how.file);
    if (!entries) return entries.error();
    if (entries->empty())
        return make_error(ErrorKind::BadInput, "There are no recordings in \"{}\".", o.how.file.string());
    Status first;
    for (std::size_t i = 0; i < entries->size(); ++i) {
        if (!shard->has(i)) continue;
        const Status status = deliver_recording(o, (*entries)[i], *table);
        if (!status && status.error().kind == ErrorKind::Cancelled) return status;
        if (!status && first) first = status;
    }
    return first;
}

void add_common(CLI::App& command, HandoverOptions& o) {
    command.add_option("--template", o.table,
                       "Table of deliveries (.rivlen-handover); without: mix, stems and a listening copy");
    command.add_option("-o,--output", o.out, "Folder for the files")->required();
    command.add_option("--head", o.head, "Head responses of binaural rows (AES69); else the standard set");
    command.add_option("--jobs", o.jobs, "Rows at a time")->check(CLI::Range(1, 64))->capture_default_str();
    command.add_flag("--overwrite", o.replace, "Replace files that were made from something else");
    command.add_flag("--check", o.check_only, "Only tell what is wrong");
    command.add_flag("--pdf", o.pdf, "The report as PDF, too (needs the program rivlen)");
    command.add_option("--paper", o.paper, "Of the PDF: a4 or letter; else what is used in this place")
        ->check(CLI::IsMember({"a4", "letter"}));
    command.add_flag("--exchange", o.exchange,
                     "Also the session for other tools: cut lists (EDL, CSV), OpenTimelineIO, DAWproject");
}

}  // namespace

void add_handover(CLI::App& app, Status& status) {
    auto options = std::make_shared<HandoverOptions>();
    auto* command =
        app.add_subcommand("handover", "Deliver a session or a recording by a table of deliveries");
    add_recording_options(*command, options->how);
    add_common(*command, *options);
    command->add_option("--name", options->name, "Name of the programme; else that of the file");
    command->callback([options, &status] { status = run_handover(*options); });
}

void add_batch(CLI::App& app, Status& status) {
    auto options = std::make_shared<HandoverOptions>();
    auto* command =
        app.add_subcommand("batch", "Deliver many recordings: a folder, or a text file with a path a line");
    add_recording_options(*command, options->how);
    add_common(*command, *options);
    command->add_option("--shard", options->shard, "I/N: only every Nth recording, from the Ith on");
    command->add_flag("--watch", options->watch,
                      "Go on watching the folder for recordings that have been finished");
    command
        ->add_option("--settle", options->settle_seconds,
                     "Seconds that a file must not change before it is taken")
        ->capture_default_str();
    command
        ->add_option("--stop-after", options->stop_after_seconds,
                     "Stop watching when nothing comes for so many seconds; 0: never")
        ->capture_default_str();
    command->callback([options, &status] { status = run_batch(*options); });
}

}  // namespace rivlen::cli
