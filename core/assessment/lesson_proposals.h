// SPDX-License-Identifier: GPL-3.0-or-later
// Where a recording seems to hold one kind of sound alone, so that a model can be taught from it.
#pragma once

#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/teaching_mark.h"

namespace rivlen {

struct ProposedMark {
    TeachingMark mark;
    std::string sentence;  // "From 00:03 to 00:11 no voice is heard; the model calls it ambience."
};

// By the activity of the stems, in steps of 50 ms: stretches without voice (its share of the energy below
// -17 dB for all but moments), named after the larger of music and ambience, and stretches in which a voice
// has 95 % of the energy. At least 1 s long and at most 12 s, the longest first, no more than three of each;
// of ambience and music both when neither has four fifths of a stretch, as the model may have taken one for
// the other. Errors: Cancelled.
[[nodiscard]] Result<std::vector<ProposedMark>> propose_marks(const Source& source, const MaskMap& map,
                                                              const JobControl& job = {});

}  // namespace rivlen
