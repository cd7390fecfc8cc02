// SPDX-License-Identifier: GPL-3.0-or-later
// What every command that needs a split recording shares: its options, and the way from a file to a map.
#pragma once

#include <CLI/CLI.hpp>
#include <filesystem>
#include <optional>

#include "cli/setting_options.h"
#include "core/base/folders.h"
#include "core/media/source.h"
#include "core/separation/corrections.h"
#include "core/workflow/splitting.h"

namespace rivlen::cli {

struct RecordingOptions {
    std::filesystem::path file;
    SplitWish split;
    std::filesystem::path corrections;  // empty: none
    std::vector<Correction> more;       // behind those
    bool parts = false;                 // the music is opened into its parts
};
void add_recording_options(CLI::App& command, RecordingOptions& options);

struct Recording {
    Source source;
    MaskMap map;  // with the corrections
    ModelFacts model;
    std::optional<SplitReport> split;  // none when the map was there already
};
// Brings the file in and splits it unless that has been done before, with progress on a terminal.
[[nodiscard]] Result<Recording> open_recording(const RecordingOptions& options);
// The same with the corrections that a preset among the settings brings along, and with the music opened
// where they set a part of it.
[[nodiscard]] Result<Recording> open_recording(RecordingOptions options, const SettingOptions& settings);

}  // namespace rivlen::cli
