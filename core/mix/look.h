// SPDX-License-Identifier: GPL-3.0-or-later
// First look at what a track plays, in front of its chain.
#pragma once

#include <optional>

#include "core/diagnosis/first_look.h"
#include "core/diagnosis/noise_print.h"
#include "core/mix/plan.h"

namespace rivlen {

struct TrackLook {
    FirstLook look;  // of the track's sound; its echo is what is left of it as the stems are set
    std::optional<Reverberation>
        recording;  // echo of the first clip's recording itself, when that has been split
};
// Errors: BadInput (no clips), Cancelled.
[[nodiscard]] Result<TrackLook> look_at_track(const MixPlan& plan, std::size_t track,
                                              const JobControl& job = {});

// The noise that reaches a part of a track's chain: all that sounds in `alone` (frames of the session), or
// without it what sounds in the pauses of all its clips. Errors: BadInput (nothing to learn from), Cancelled.
[[nodiscard]] Result<NoisePrint> noise_before_part(const MixPlan& plan, std::size_t track, int part,
                                                   std::optional<LoopRange> alone,
                                                   const JobControl& job = {});

}  // namespace rivlen
