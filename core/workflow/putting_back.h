// SPDX-License-Identifier: GPL-3.0-or-later
// What is kept of a recording back under its picture, in one go.
#pragma once

#include <filesystem>

#include "core/media/layback.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/timed.h"

namespace rivlen {

// The file that is suggested: beside the picture, "NAME kept" with an ending that can be written.
[[nodiscard]] std::filesystem::path suggested_put_back(const std::filesystem::path& picture);

struct KeptUnderPicture {
    std::filesystem::path picture;      // the recording's own file
    std::filesystem::path out;          // the file to write
    std::filesystem::path work_folder;  // for the sound in between
    bool overwrite = false;
};
// Any number may run at a time: each has a file of its own in between, which is removed whatever happens.
// Errors: those of lay_back(); DiskFull, Io, Cancelled.
[[nodiscard]] Result<LaybackReport> put_kept_back(const Source& source, const MaskMap& map,
                                                  const TimedSettings& settings, const KeptUnderPicture& what,
                                                  const JobControl& job = {});

}  // namespace rivlen
