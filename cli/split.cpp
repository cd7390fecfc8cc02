// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/recording.h"
#include "cli/setting_options.h"
#include "cli/terminal.h"
#include "core/delivery/export.h"

namespace rivlen::cli {

namespace {

using nlohmann::json;

struct SplitCommand {
    RecordingOptions recording;
    SettingOptions settings;
    std::filesystem::path folder;
    std::string format = "wav32";
    std::vector<std::string> stems;
    bool kept = false, cut = false, json = false, overwrite = false;
};

SoundFormat format_of(const std::string& name) {
    if (name == "wav24") return SoundFormat::Wav24;
    if (name == "flac") return SoundFormat::Flac24;
    return SoundFormat::WavFloat;
}

void print(const SplitCommand& c, const Recording& recording, const ExportReport& report) {
    const auto& [source, map, model, split] = recording;
    if (c.json) {
        json out = {{"source", source.original().string()},
                    {"sample_rate_hz", source.sample_rate()},
                    {"channels", source.channels()},
                    {"frames", source.frames()},
                    {"source_hash", source.hash()},
                    {"model", model.name},
                    {"model_hash", model.hash},
                    {"split_seconds", split ? split->seconds : 0},
                    {"split_times_real_time", split ? split->times_real_time : 0},
                    {"export_seconds", report.seconds},
                    {"export_times_real_time", report.times_real_time},
                    {"sum_difference_dbfs", report.sum_dbfs},
                    {"peak_memory_mb", peak_memory_mb()},
                    {"warnings", source.warnings()}};
        for (const auto& file : report.files) {
            out["files"].push_back({{"content", file.content},
                                    {"path", file.path.string()},
                                    {"integrated_lufs", level_json(file.loudness.integrated_lufs)},
                                    {"loudness_range_lu", file.loudness.range_lu},
                                    {"sample_peak_dbfs", level_json(file.loudness.sample_peak_dbfs)},
                                    {"true_peak_dbtp", level_json(file.loudness.true_peak_dbtp)},
                                    {"samples_over_full_scale", file.over_full_scale}});
        }
        fmt::print("{}\n", out.dump(2, ' ', false, json::error_handler_t::replace));
        return;
    }
    for (const auto& file : report.files) {
        fmt::print("{:9} {:>12}  peak {:>12}  {}\n", file.content,
                   level_words(file.loudness.integrated_lufs, "LUFS"),
                   level_words(file.loudness.sample_peak_dbfs, "dBFS"), file.path.string());
        if (file.over_full_scale > 0 && format_of(c.format) != SoundFormat::WavFloat) {
            fmt::print(stderr,
                       "rivlen-cli: {} samples of {} were clipped; lower --gain or use --format wav32.\n",
                       file.over_full_scale, file.content);
        }
    }
    if (split) {
        fmt::print("Split in {:.1f} s, {:.0f} x real time. ", split->seconds, split->times_real_time);
    } else {
        fmt::print("Mask map found from an earlier split. ");
    }
    fmt::print("Sum of the stems{} against the source: {:.1f} dBFS.\n",
               recording.map.cuts() ? " and of what is cut" : "", report.sum_dbfs);
}

Status run(const SplitCommand& c) {
    const auto settings = c.settings.settings();
    if (!settings) return settings.error();
    const auto names_part = [](const std::string& name) { return is_music_part(sound_named(name)); };
    RecordingOptions options = c.recording;
    options.parts = options.parts || std::ranges::any_of(c.stems, names_part);
    const auto recording = open_recording(options, c.settings);
    if (!recording) return recording.error();

    ExportPlan plan;
    plan.folder = c.folder;
    plan.base_name = c.recording.file.stem().string();
    plan.format = format_of(c.format);
    plan.kept_mix = c.kept;
    plan.cut = c.cut || recording->map.cuts();  // so that all files add up to the source
    plan.overwrite = c.overwrite;
    for (std::size_t s = 0; s < kSounds; ++s) {
        const bool all = c.stems.empty() && (!is_music_part(s) || options.parts);
        plan.stems[s] = all || std::ranges::find(c.stems, kSoundNames[s]) != c.stems.end();
    }
    auto report = [&] {
        TerminalJob job("Writing");
        return export_stems(recording->source, recording->map, *settings, plan, job.control());
    }();
    if (!report) return report.error();
    print(c, *recording, *report);
    constexpr double kSumLimitDbfs = -110.0;
    if (report->sum_dbfs > kSumLimitDbfs) {
        return make_error(ErrorKind::Internal,
                          "The stems do not add up to the source ({:.1f} dBFS). Please report this.",
                          report->sum_dbfs);
    }
    return {};
}

}  // namespace

void add_split(CLI::App& app, Status& status) {
    auto c = std::make_shared<SplitCommand>();
    auto* command = app.add_subcommand("split", "Part a recording into stems");
    add_recording_options(*command, c->recording);
    command->add_option("-o,--output", c->folder, "Folder for the stems")->required();
    command->add_option("--format", c->format, "wav32 (32-bit float), wav24 or flac")
        ->check(CLI::IsMember({"wav32", "wav24", "flac"}))
        ->capture_default_str();
    command->add_option("--stem", c->stems, "Only these stems or parts of the music (may be repeated)")
        ->check(CLI::IsMember(std::vector<std::string>(kSoundNames.begin(), kSoundNames.end())));
    command->add_flag("--kept", c->kept, "Also write all stems together, with their settings");
    command->add_flag("--cut", c->cut,
                      "Also write what corrections cut; written anyway where they cut something");
    command->add_flag("--overwrite", c->overwrite, "Replace files that are there");
    command->add_flag("--json", c->json, "Print a report as JSON");
    c->settings.add_to(*command);
    command->callback([c, &status] { status = run(*c); });
}

}  // namespace rivlen::cli
