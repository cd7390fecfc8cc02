// SPDX-License-Identifier: GPL-3.0-or-later
// First look at what a track plays, in front of its chain.
#pragma once

#include "core/diagnosis/first_look.h"
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

}  // namespace rivlen
