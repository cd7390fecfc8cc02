#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <nlohmann/json.hpp>
#include <set>

#include "cli/commands.h"
#include "cli/recording.h"
#include "cli/terminal.h"
#include "core/handover/export_mix.h"
#include "core/session/session.h"

namespace rivlen::cli {

namespace {

// Everything that the clips of a session refer to, at the session rate; split where a clip plays a stem.
Result<MixMediaSet> load(const Session& session, const RecordingOptions& how) {
    std::set<std::filesystem::path> files;
    std::set<std::filesystem::path> split;
    for (const auto& track : session.rebuild.tracks) {
        for (const auto& clip : track.clips) {
            files.insert(clip.path);
            if (clip.feed != Feed::Whole) split.insert(clip.path);
        }
    }
    MixMediaSet media;
    for (const auto& file : files) {
        MixMedia loaded;
        std::optional<Source> source;
        if (split.contains(file)) {
            RecordingOptions options = how;
            options.file = file;
            auto recording = open_recording(options);
            if (!recording) return recording.error();
            loaded.map = std::make_shared<const MaskMap>(std::move(recording->map));
            source = std::move(recording->source);
        } else {
            TerminalJob job("Bringing in " + file.filename().string());
            auto brought = Source::bring_in(file, how.work, job.control());
            if (!brought) return brought.error();
            source = std::move(*brought);
        }
        loaded.recording_rate = source->sample_rate();
        TerminalJob job("Converting " + file.filename().string());
        auto at_rate = Source::at_rate(*source, session.rebuild.sample_rate, how.work, job.control());
        if (!at_rate) return at_rate.error();
        loaded.source = std::make_shared<const Source>(std::move(*at_rate));
        media[file] = std::move(loaded);
    }
    return media;
}

Status run(const RecordingOptions& how, const std::filesystem::path& out, bool overwrite, bool as_json) {
    auto session = load_session(how.file);
    if (!session) return session.error();
    if (session->rebuild.end() == 0)
        return make_error(ErrorKind::BadInput,
                          "\"{}\" has nothing on its tracks. Place stems or files in the Rebuild view.",
                          how.file.string());
    std::error_code error;
    if (!overwrite && std::filesystem::exists(out, error))
        return make_error(ErrorKind::Io, "\"{}\" is there already. Choose another name, or use --overwrite.",
                          out.string());
    auto media = load(*session, how);
    if (!media) return media.error();
    TerminalJob job("Writing the mix");
    const auto report = export_mix(std::make_shared<const MixPlan>(*session, *media), out, job.control());
    if (!report) return report.error();
    if (as_json) {
        const nlohmann::json printed = {{"path", out.string()},
                                        {"sample_rate_hz", session->rebuild.sample_rate},
                                        {"frames", report->frames},
                                        {"integrated_lufs", report->loudness.integrated_lufs},
                                        {"loudness_range_lu", report->loudness.range_lu},
                                        {"true_peak_dbtp", report->loudness.true_peak_dbtp},
                                        {"samples_over_full_scale", report->over_full_scale},
                                        {"times_real_time", report->times_real_time},
                                        {"peak_memory_mb", peak_memory_mb()}};
        fmt::print("{}\n", printed.dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
    } else {
        fmt::print("{}: {:.1f} s, {:.1f} LUFS, true peak {:.1f} dBTP, {:.0f} x real time.\n", out.string(),
                   static_cast<double>(report->frames) / session->rebuild.sample_rate,
                   report->loudness.integrated_lufs, report->loudness.true_peak_dbtp,
                   report->times_real_time);
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
