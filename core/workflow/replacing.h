// SPDX-License-Identifier: GPL-3.0-or-later
// Something else in place of a clip, as loud as what it replaces.
#pragma once

#include <memory>

#include "core/mix/plan.h"

namespace rivlen {

// Further than this loudness is not brought, and what is softer than this counts as silence.
inline constexpr double kLargestMatchDb = 20.0;
inline constexpr double kSilentLufs = -62.0;

// Gain in dB at which the first frames of `with`, as many as the clip plays, are as loud as the clip is now
// (integrated loudness, ITU-R BS.1770-4), its own gain included; 0 where one of them is silent. Errors:
// NotFound (no such clip), Cancelled. Any thread.
[[nodiscard]] Result<double> gain_to_replace(const MixPlan& plan, int clip,
                                             const std::shared_ptr<const Source>& with,
                                             const JobControl& job = {});
// Puts it there; the old clip stays, muted, on the track below. The edges keep fades of 50 ms at least.
void replace_by(Timeline& timeline, int clip, const std::filesystem::path& path, std::int64_t frames,
                double gain_db);

}  // namespace rivlen
