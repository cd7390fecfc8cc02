// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/recording.h"

#include <algorithm>

#include "cli/terminal.h"
#include "core/project/corrections_json.h"

namespace rivlen::cli {

void add_recording_options(CLI::App& command, RecordingOptions& options) {
    command.add_option("FILE", options.file, "Sound or picture file")->required();
    command.add_option("--workers", options.split.workers, "Chunks split at a time")
        ->check(CLI::Range(1, 64))
        ->capture_default_str();
    command
        .add_option_function<std::string>(
            "--channels",
            [&options](const std::string& name) {
                options.split.channels = static_cast<ChannelGrouping>(
                    std::ranges::find(kChannelGroupings, name) - kChannelGroupings.begin());
            },
            "Channels that share masks: together, pairs, alone or bed (left with right, centre and LFE "
            "alone)")
        ->check(CLI::IsMember(std::vector<std::string>(kChannelGroupings.begin(), kChannelGroupings.end())));
    command.add_option("--work", options.split.work_folder, "Folder for working copies and maps")
        ->capture_default_str();
    command.add_option("--model", options.split.model, "quick, fine, or a model file");
    command.add_option("--engine", options.split.engine, "Engine library");
    command.add_option("--corrections", options.corrections, "Corrections of the masks, by file");
    command.add_option("--parts-model", options.split.parts_model, "What opens the music: a model file");
    command.add_flag("--parts", options.parts, "Open the music into voices, drums, bass and the rest");
    command.add_flag("--again", options.split.again, "Split even if a map is there");
}

Result<Recording> open_recording(const RecordingOptions& options) {
    auto source = [&] {
        TerminalJob job("Bringing in");
        return Source::bring_in(options.file, options.split.work_folder, job.control());
    }();
    if (!source) return source.error();
    tell_warnings(*source);
    TerminalJob job("Splitting");
    auto done = split_recording(*source, options.split, job.control());
    if (!done) return done.error();
    if (options.parts) {
        TerminalJob opening("Opening the music");
        auto opened = open_music(*source, done->map, options.split, opening.control());
        if (!opened) return opened.error();
        done->map = std::move(*opened);
    }
    Recording out{std::move(*source), std::move(done->map), done->model, done->report};
    std::vector<Correction> corrections;
    if (!options.corrections.empty()) {
        auto loaded = load_corrections(options.corrections);
        if (!loaded) return loaded.error();
        corrections = std::move(*loaded);
    }
    append(corrections, options.more);
    if (corrections.empty()) return out;
    auto map = corrected(out.map, corrections, out.source);
    if (!map) return map.error();
    out.map = std::move(*map);
    return out;
}

Result<Recording> open_recording(RecordingOptions options, const SettingOptions& settings) {
    auto brought = settings.corrections();
    if (!brought) return brought.error();
    options.more = std::move(*brought);
    const auto set = settings.settings();
    if (!set) return set.error();
    options.parts = options.parts || set->sets_music_part();
    return open_recording(options);
}

}  // namespace rivlen::cli
