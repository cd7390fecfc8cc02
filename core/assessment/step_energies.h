// SPDX-License-Identifier: GPL-3.0-or-later
// How much of a recording's energy is of which kind, step by step.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"

namespace rivlen {

inline constexpr std::size_t kEnergyStepFrames = 5;  // of the map: 53 ms

// Voice with its reverb, music, ambience; in the scale of band_powers().
using StepEnergy = std::array<double, 3>;
[[nodiscard]] inline double total_of(const StepEnergy& e) {
    return e[0] + e[1] + e[2];
}

// map: null for a recording that has not been split; then all of it counts as ambience. Where the job is
// cancelled, so far as it came.
[[nodiscard]] std::vector<StepEnergy> step_energies(const Source& source, const MaskMap* map,
                                                    const JobControl& job);
// Where a step begins, a frame of the recording.
[[nodiscard]] std::int64_t start_of_step(const Source& source, std::size_t step);

}  // namespace rivlen
