// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness of what is to be put in place of something else.
#pragma once

#include "core/base/job.h"
#include "core/metering/level.h"
#include "core/mix/plan.h"

namespace rivlen {

// Integrated loudness (ITU-R BS.1770-4) of a clip as it plays, its own gain left out; missing when
// nothing passes the gate. Errors: NotFound (no such clip), Cancelled.
[[nodiscard]] Result<Level> clip_loudness_lufs(const MixPlan& plan, int clip, const JobControl& job = {});
// Of the first `frames` of a recording.
[[nodiscard]] Result<Level> source_loudness_lufs(const std::shared_ptr<const Source>& source,
                                                 std::int64_t frames, const JobControl& job = {});

}  // namespace rivlen
