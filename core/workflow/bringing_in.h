// SPDX-License-Identifier: GPL-3.0-or-later
// From a file to a recording of the session, and to a file that has gone elsewhere.
#pragma once

#include <array>
#include <filesystem>
#include <memory>
#include <optional>

#include "core/base/job.h"
#include "core/media/decode.h"
#include "core/media/source.h"
#include "core/project/session.h"

namespace rivlen {

// Usual endings of what can be brought in, for dialogs; files with others are tried all the same.
inline constexpr std::array kRecordingEndings = {"wav", "bwf", "rf64", "w64",  "aif",  "aiff", "flac", "mp3",
                                                 "m4a", "aac", "ogg",  "opus", "ac3",  "mov",  "mp4",  "m4v",
                                                 "mkv", "mka", "mxf",  "avi",  "webm", "mts",  "m2ts"};

struct BroughtIn {
    MediaInfo info;
    std::shared_ptr<const Source> source;
};
// Decodes a recording into the work folder, unless that has been done before. Errors: those of probe() and
// Source::bring_in(). Any thread.
[[nodiscard]] Result<BroughtIn> bring_in(const std::filesystem::path& file,
                                         const std::filesystem::path& work_folder,
                                         const JobControl& job = {});

// How the session names a file: absolute, without "..".
[[nodiscard]] std::filesystem::path session_path(const std::filesystem::path& file);
// The item of a recording, if the session has it.
[[nodiscard]] std::optional<std::size_t> item_of(const Session& session, const std::filesystem::path& path);
// A recording as the session's current one: a new item, or the one that is there. path: as by session_path().
void add_recording(Session& session, const std::filesystem::path& path);

// A missing file is at `found` now; others that are missing and lie beside it are taken from there, too.
void relocate(Session& session, const std::filesystem::path& missing, const std::filesystem::path& found);

}  // namespace rivlen
