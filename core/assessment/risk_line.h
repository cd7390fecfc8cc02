// SPDX-License-Identifier: GPL-3.0-or-later
// Where the present settings probably hurt a stem, over a whole recording.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/timed.h"

namespace rivlen {

struct RiskLine {
    static constexpr double kStepSeconds = 0.05;
    std::vector<float> risk;  // 0 to 1, the highest within each step
};

struct RiskSpot {
    double seconds = 0;  // its worst moment
    float risk = 0;
};

// Goes through the recording in pieces, so that memory does not grow with its length. Errors: Cancelled.
[[nodiscard]] Result<RiskLine> measure_risk(const Source& source, const MaskMap& map,
                                            const TimedSettings& settings, std::size_t stem, int workers,
                                            const JobControl& job = {});

// With what the masks themselves may have got wrong, of which the settings know nothing: doubt (doubt.h, the
// same steps) counts from a half on, and like a risk of a half where it is 1.
[[nodiscard]] RiskLine with_doubt(const RiskLine& line, std::span<const float> doubt);

// Peaks of at least 0.05 that lie at least two seconds apart, worst first.
[[nodiscard]] std::vector<RiskSpot> worst_spots(const RiskLine& line, std::size_t most);

}  // namespace rivlen
