// SPDX-License-Identifier: GPL-3.0-or-later
// A sound file through a chain.
#pragma once

#include <filesystem>
#include <span>

#include "core/base/job.h"
#include "core/effects/inserts.h"
#include "core/media/sound_file.h"
#include "core/media/source.h"
#include "core/metering/loudness.h"

namespace rivlen {

struct ProcessReport {
    Loudness before, after;
    std::uint64_t over_full_scale = 0;  // samples; clipped in PCM formats
    double seconds = 0, times_real_time = 0;
};

// As long as the source and in step with it, at its rate; one channel stays one, more than two are processed
// in pairs. Errors: BadInput when the file is the recording itself; Io, DiskFull, Cancelled.
[[nodiscard]] Result<ProcessReport> process_file(const Source& source, std::span<const Insert> chain,
                                                 const std::filesystem::path& file, SoundFormat format,
                                                 const JobControl& job = {});

}  // namespace rivlen
