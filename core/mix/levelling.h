// SPDX-License-Identifier: GPL-3.0-or-later
// Near and far, loud and quiet talkers brought to one level over seconds, as a gain line.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/separation/settings.h"
#include "core/separation/timed.h"

namespace rivlen {

enum class LevelSetting { Target, Range, Seconds };
inline constexpr std::size_t kLevelSettings = 3;
[[nodiscard]] const ParameterInfo& info(LevelSetting setting);

struct LevelSettings {
    double target_dbfs, range_db, seconds;
    LevelSettings();  // standard values
};

// levels_dbfs: of the dialogue alone, in steps of step_frames frames from frame 0 on, so that what lies
// behind the voice does not come up with it. The voice's level around a time is the mean power of what is
// spoken within `seconds` on either side; the gain that brings it to the target, at most `range_db` up or
// down, is held where nobody speaks. Speech begins 20 dB below the loudest words and ends 25 dB below them
// (common practice, no source). Points within 0.25 dB; empty when nobody speaks.
[[nodiscard]] std::vector<Breakpoint> levelling_line(std::span<const float> levels_dbfs,
                                                     std::int64_t step_frames, int sample_rate,
                                                     const LevelSettings& settings);

}  // namespace rivlen
