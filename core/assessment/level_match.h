// SPDX-License-Identifier: GPL-3.0-or-later
// Gains that make different ways of listening equally loud (ITU-R BS.1770), so that the louder one does not
// seem better.
#pragma once

#include <array>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/metering/level.h"
#include "core/separation/audition.h"
#include "core/separation/mask_map.h"
#include "core/separation/timed.h"

namespace rivlen {

struct MatchResult {
    std::array<Level, kMonitors> loudness_lufs{};  // over the range
    std::array<float, kMonitors> gain{};  // linear, to the source's loudness; 1 for what is all but silent
};

// Measures all ways of listening over a range (at most 60 s of it, from its start). map may be null.
// Errors: Cancelled.
[[nodiscard]] Result<MatchResult> measure_match(const Source& source, const MaskMap* map,
                                                const TimedSettings& settings, std::int64_t first,
                                                std::int64_t last, const JobControl& job = {});

}  // namespace rivlen
