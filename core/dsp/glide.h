// SPDX-License-Identifier: GPL-3.0-or-later
// A value that follows another without a step: a one-pole low-pass.
#pragma once

#include <cmath>

namespace rivlen {

// The part of the way that is gone every sample, or every `step_samples`, so that all but 0.7 % (e^-5) of it
// is gone after so many seconds.
[[nodiscard]] inline double glide_part(double seconds, int sample_rate, int step_samples = 1) {
    return 1.0 - std::exp(-5.0 * step_samples / (seconds * sample_rate));
}

// One sample on from `now`; the target itself once it is as good as reached.
[[nodiscard]] inline float glided(float now, float target, float part) {
    constexpr float kArrived = 1e-6F;
    const float next = now + part * (target - now);
    // The last steps of a slow glide are smaller than what single precision can add.
    return std::abs(target - now) < kArrived || next == now ? target : next;
}

}  // namespace rivlen
