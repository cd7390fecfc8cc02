// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/recording.h"
#include "cli/terminal.h"
#include "core/base/output_file.h"
#include "core/delivery/export_mix.h"
#include "core/project/session.h"
#include "core/workflow/session_media.h"

namespace rivlen::cli {

namespace {

Status run(const RecordingOptions& how, const std::filesystem::path& out, bool overwrite, bool as_json) {
    auto session = load_session(how.file);
    if (!session) return session.error();
    if (session->timeline.end() == 0)
        return make_error(ErrorKind::BadInput,
                          "\"{}\" has nothing on its tracks. Place stems or files in the Rebuild view.",
                          how.file.string());
    if (auto free = may_write(out, overwrite, files_of(*session, how.file)); !free) return free;
    TerminalStages stages;
    auto media = load_media(*session, how.split, std::ref(stages));
    if (!media) return media.error();
    for (const auto& [file, loaded] : *media) tell_warnings(*loaded.source);
    fit_to_media(session->timeline, *media);
    TerminalJob job("Writing the mix");
    const auto report = export_mix(std::make_shared<const MixPlan>(*session, *media), out, job.control());
    if (!report) return report.error();
    if (as_json) {
        const nlohmann::json printed = {{"path", out.string()},
                                        {"sample_rate_hz", session->timeline.sample_rate},
                                        {"frames", report->frames},
                                        {"integrated_lufs", level_json(report->loudness.integrated_lufs)},
                                        {"loudness_range_lu", report->loudness.range_lu},
                                        {"true_peak_dbtp", level_json(report->loudness.true_peak_dbtp)},
                                        {"samples_over_full_scale", report->over_full_scale},
                                        {"times_real_time", report->times_real_time},
                                        {"peak_memory_mb", peak_memory_mb()}};
        fmt::print("{}\n", printed.dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
    } else {
        fmt::print("{}: {:.1f} s, {}, true peak {}, {:.0f} x real time.\n", out.string(),
                   static_cast<double>(report->frames) / session->timeline.sample_rate,
                   level_words(report->loudness.integrated_lufs, "LUFS"),
                   level_words(report->loudness.true_peak_dbtp, "dBTP"), report->times_real_time);
    }
    return {};
}

}  // namespace

void add_mix(CLI::App& app, Status& status) {
    struct Options {
        RecordingOptions how;
        std::filesystem::path out;
        bool overwrite = false, json = false;
    };
    auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("mix", "Write the mix of a session's tracks");
    add_recording_options(*command, options->how);
    command->add_option("-o,--output", options->out, "File to write: .wav (32-bit float) or .flac (24 bit)")
        ->required();
    command->add_flag("--overwrite", options->overwrite, "Replace a file that is there");
    command->add_flag("--json", options->json, "Print a report as JSON");
    command->callback(
        [options, &status] { status = run(options->how, options->out, options->overwrite, options->json); });
}

}  // namespace rivlen::cli
