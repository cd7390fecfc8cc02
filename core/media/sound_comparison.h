// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a sound that was written is the one that was given: in step, and how far from it.
#pragma once

#include <cstdint>
#include <functional>

#include "core/base/audio_block.h"
#include "core/base/job.h"
#include "core/base/result.h"

namespace rivlen {

struct SoundComparison {
    std::int64_t offset_samples = 0;  // of what was written against what was given, by the loudest stretch
    double difference_db = -200;      // level of (written - given) against given; -200 when equal to the bit
    double wanted_energy = 0;         // sum of squares of what was given: 0 for silence
};
// The next frames of a sound: so many, or fewer at the end, none behind it.
using NextSound = std::function<Status(std::int64_t frames, AudioBlock& out)>;
// Reads both to their ends. Errors: those of reading; Cancelled.
[[nodiscard]] Result<SoundComparison> compare(const NextSound& given, const NextSound& written,
                                              const JobControl& job = {});

}  // namespace rivlen
