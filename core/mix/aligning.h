// SPDX-License-Identifier: GPL-3.0-or-later
// Clips that hold the same event, recorded apart, are brought together.
#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/mix/plan.h"

namespace rivlen {

// By how many frames a clip has to be moved so that what it plays falls on the same event in another clip.
// Both are looked at as a whole, as their recordings are, without settings. Errors: NotFound (a clip is gone,
// or its media is missing), BadInput (nothing in them is alike, or they are too long:
// kLongestAlignedSeconds), Cancelled. Any thread.
inline constexpr double kLongestAlignedSeconds = 3600;
[[nodiscard]] Result<std::int64_t> offset_to_align(const MixPlan& plan, int reference, int moved,
                                                   const JobControl& job = {});

}  // namespace rivlen
