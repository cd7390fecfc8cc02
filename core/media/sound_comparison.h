// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a sound that was written is the one that was given: in step, and how far from it.
#pragma once

#include <cstdint>

#include "core/base/job.h"
#include "core/media/sound_under_picture.h"

namespace rivlen {

struct SoundComparison {
    std::int64_t offset_samples = 0;  // of what was written against what was given, by the loudest stretch
    double difference_db = -200;      // level of (written - given) against given; -200 when equal to the bit
};
// Reads both to their ends. Errors: those of reading; Cancelled.
[[nodiscard]] Result<SoundComparison> compare(SoundUnderPicture& given, SoundUnderPicture& written,
                                              const JobControl& job = {});

}  // namespace rivlen
