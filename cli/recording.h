// SPDX-License-Identifier: GPL-3.0-or-later
// What every command that needs a split recording shares: its options, and the way from a file to a map.
#pragma once

#include <CLI/CLI.hpp>
#include <filesystem>
#include <memory>

#include "core/base/folders.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/separator.h"
#include "core/separation/split.h"

namespace rivlen::cli {

struct RecordingOptions {
    std::filesystem::path file, work = default_work_folder(), model, engine;
    SplitOptions split;
    bool again = false;  // split even if a map is there
};
void add_recording_options(CLI::App& command, RecordingOptions& options);

struct Recording {
    Source source;
    MaskMap map;
    ModelFacts model;
    SplitReport split;  // seconds is 0 when the map was there already
};
// Brings the file in and splits it unless that has been done before, with progress on a terminal.
[[nodiscard]] Result<Recording> open_recording(const RecordingOptions& options);

}  // namespace rivlen::cli
