// SPDX-License-Identifier: GPL-3.0-or-later
// The mix of a rebuild as a file.
#pragma once

#include <filesystem>
#include <memory>

#include "core/base/job.h"
#include "core/metering/loudness.h"
#include "core/mix/plan.h"

namespace rivlen {

struct MixReport {
    Loudness loudness;
    std::int64_t frames = 0;
    std::uint64_t over_full_scale = 0;  // samples; clipped in PCM formats
    double seconds = 0, times_real_time = 0;
};

// From frame 0 to the end, stereo at the session rate: FLAC (24 bit) where the name ends so, else WAV (32-bit
// float). Errors: BadInput when there is nothing or when the file is one that the rebuild plays; DiskFull;
// Io; Cancelled.
[[nodiscard]] Result<MixReport> export_mix(const std::shared_ptr<const MixPlan>& plan,
                                           const std::filesystem::path& file, const JobControl& job = {});

}  // namespace rivlen
