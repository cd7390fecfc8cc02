// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/terminal.h"
#include "core/base/folders.h"
#include "core/base/output_file.h"
#include "core/delivery/process_file.h"
#include "core/project/chain_preset.h"

namespace rivlen::cli {

namespace {

struct ProcessOptions {
    std::filesystem::path file, out, work = default_work_folder();
    std::string chain = "voice";
    bool overwrite = false, json = false;
};

Status run(const ProcessOptions& o) {
    std::vector<Insert> parts = voice_start_chain();
    if (o.chain != "voice") {
        auto preset = load_chain_preset(o.chain);
        if (!preset) return preset.error();
        parts = std::move(preset->parts);
    }
    const std::array inputs = {o.file, std::filesystem::path(o.chain)};
    if (auto free = may_write(o.out, o.overwrite, inputs); !free) return free;
    TerminalJob job("Processing");
    auto source = Source::bring_in(o.file, o.work, job.control());
    if (!source) return source.error();
    tell_warnings(*source);
    const auto report = process_file(*source, parts, o.out, format_for(o.out), job.control());
    if (!report) return report.error();
    if (o.json) {
        const auto loudness = [](const Loudness& l) {
            return nlohmann::json{{"integrated_lufs", level_json(l.integrated_lufs)},
                                  {"sample_peak_dbfs", level_json(l.sample_peak_dbfs)},
                                  {"true_peak_dbtp", level_json(l.true_peak_dbtp)}};
        };
        nlohmann::json out = {{"path", o.out.string()},
                              {"before", loudness(report->before)},
                              {"after", loudness(report->after)},
                              {"samples_over_full_scale", report->over_full_scale},
                              {"times_real_time", report->times_real_time}};
        for (const auto& part : parts) out["chain"].push_back(info(part.kind).key);
        fmt::print("{}\n", out.dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
    } else {
        fmt::print("{}: {} to {}, true peak {} to {}, {:.0f} x real time.\n", o.out.string(),
                   level_words(report->before.integrated_lufs, "LUFS"),
                   level_words(report->after.integrated_lufs, "LUFS"),
                   level_words(report->before.true_peak_dbtp, "dBTP"),
                   level_words(report->after.true_peak_dbtp, "dBTP"), report->times_real_time);
    }
    return {};
}

}  // namespace

void add_process(CLI::App& app, Status& status) {
    auto options = std::make_shared<ProcessOptions>();
    auto* command = app.add_subcommand("process", "Put a sound file through a chain");
    command->add_option("FILE", options->file, "Sound or picture file")->required();
    command
        ->add_option("--chain", options->chain,
                     "Chain file (.rivlen-chain), or \"voice\": the start chain for a voice")
        ->capture_default_str();
    command->add_option("-o,--output", options->out, "File to write: .wav (32-bit float) or .flac (24 bit)")
        ->required();
    command->add_option("--work", options->work, "Folder for working copies")->capture_default_str();
    command->add_flag("--overwrite", options->overwrite, "Replace a file that is there");
    command->add_flag("--json", options->json, "Print a report as JSON");
    command->callback([options, &status] { status = run(*options); });
}

}  // namespace rivlen::cli
