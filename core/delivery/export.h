// SPDX-License-Identifier: GPL-3.0-or-later
// Stems out of a split recording, as files; and proof that nothing was lost.
#pragma once

#include <array>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/media/sound_file.h"
#include "core/metering/loudness.h"
#include "core/separation/shaper.h"
#include "core/separation/timed.h"

namespace rivlen {

struct ExportPlan {
    std::filesystem::path folder;
    std::string base_name;  // files are "<base_name> dialogue.wav" and so on
    SoundFormat format = SoundFormat::WavFloat;
    std::array<bool, kSounds> stems{true, true, true, true};  // and parts of the music, where it is opened
    bool kept_mix = false;  // also "<base_name> kept.wav": all audible stems together
    bool cut = false;       // also "<base_name> cut.wav": what corrections took out of the whole
    bool overwrite = false;
};

struct ExportedFile {
    std::string content;  // "dialogue", ..., "kept", "cut"
    std::filesystem::path path;
    Loudness loudness;
    std::uint64_t over_full_scale = 0;  // samples; clipped in PCM formats
};

struct ExportReport {
    std::vector<ExportedFile> files;
    double sum_dbfs = 0;  // peak of (sum of neutral stems + cut - source)
    double seconds = 0;
    double times_real_time = 0;
};

// The files a plan would write, in order of stems, then the mix, then what is cut.
[[nodiscard]] std::vector<std::pair<std::string, std::filesystem::path>> planned_files(
    const ExportPlan& plan);

// Errors: Io when a file exists and overwrite is off; BadInput when a file would replace the recording itself
// or when nothing is to be written; DiskFull; Io; Cancelled. Either all files appear or none.
[[nodiscard]] Result<ExportReport> export_stems(const Source& source, const MaskMap& map,
                                                const TimedSettings& settings, const ExportPlan& plan,
                                                const JobControl& job = {});

// Only the kept mix, to one file (to be put back under a picture).
[[nodiscard]] Result<ExportedFile> export_kept(const Source& source, const MaskMap& map,
                                               const TimedSettings& settings,
                                               const std::filesystem::path& path, SoundFormat format,
                                               const JobControl& job = {});

}  // namespace rivlen
