// SPDX-License-Identifier: GPL-3.0-or-later
// Where in one recording another one of the same event belongs, to the sample.
#pragma once

#include <cstdint>
#include <optional>
#include <span>

#include "core/base/job.h"

namespace rivlen {

struct Alignment {
    std::int64_t lag_frames = 0;  // other[i] is what reference[i + lag_frames] is
    double distinctness = 0;      // the peak over the highest of what lies 20 ms and more beside it
};
// From here on the peak is the place and no accident: twenty pairs of unlike sounds stay under 1.5,
// copies reach 3 and more (tests/core/dsp/alignment_test.cpp).
inline constexpr double kDistinct = 1.8;

// One channel each, at one rate (Hz). First the peak of the correlation with phase transform (C. Knapp, G.
// Carter, "The generalized correlation method for estimation of time delay", IEEE Trans. ASSP 24, 1976) of
// both at kAlignmentRate, which microphones at different distances and with different colours do not blur;
// then within
// +-5 ms of that the peak at the full rate. Memory: some 40 bytes a sample of both at kAlignmentRate. Nothing
// when one of them is silent or the job is cancelled.
inline constexpr int kAlignmentRate = 8000;
[[nodiscard]] std::optional<Alignment> align(std::span<const float> reference, std::span<const float> other,
                                             int sample_rate, const JobControl& job = {});

}  // namespace rivlen
