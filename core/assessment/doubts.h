// SPDX-License-Identifier: GPL-3.0-or-later
// What a split may have got wrong, in sentences, each with where it is and what would put it right.
#pragma once

#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/separation/corrections.h"
#include "core/separation/doubt.h"

namespace rivlen {

struct DoubtedPlace {
    double first_seconds = 0, last_seconds = 0;
    double weight = 0;     // how much of the recording it concerns: mean doubt times seconds
    std::string sentence;  // "A steady tone of 118 Hz was taken for music."
    Correction proposal;   // puts it right; named as the sentence's subject
};

// Stretches of at least half a second in which most of the energy would change its kind if the other model
// were right.
[[nodiscard]] std::vector<DoubtedPlace> doubted_stretches(const DoubtLine& line);

// Tones that stand still for most of the recording (at least 4 s long, the first ten minutes are looked at)
// and that the masks give to music or voice. Several partials of one fundamental are one tone. A tone is a
// peak of the long-term spectrum that stands at least 12 dB over the spectrum around it (half an octave) and
// moves by less than 3 dB (interquartile range of its level) while the recording goes on. Errors: Cancelled.
[[nodiscard]] Result<std::vector<DoubtedPlace>> doubted_tones(const Source& source, const MaskMap& map,
                                                              const JobControl& job = {});

// Both, the weightiest first.
[[nodiscard]] Result<std::vector<DoubtedPlace>> doubted_places(const Source& source, const MaskMap& shown,
                                                               const DoubtLine& line,
                                                               const JobControl& job = {});

}  // namespace rivlen
