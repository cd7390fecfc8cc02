// SPDX-License-Identifier: GPL-3.0-or-later
// Where a recording has nothing but the sound of its place.
#pragma once

#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/separation/audition.h"
#include "core/separation/mask_map.h"

namespace rivlen {

// Stretches of 0.3 s and more between words, in order, the longest of them, up to 20 s together: steps of 53
// ms whose energy is at most 6 dB over that of the quietest fifth of the recording and, with a map, at most a
// tenth of which is voice, reverb or music. map: null when the recording has not been split; then level alone
// tells. Empty when there is none, and of digital silence. Errors: Cancelled.
[[nodiscard]] Result<std::vector<LoopRange>> find_room_tone(const Source& source, const MaskMap* map,
                                                            const JobControl& job = {});

}  // namespace rivlen
