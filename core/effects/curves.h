// SPDX-License-Identifier: GPL-3.0-or-later
// What a part does, as a curve: magnitude over frequency, or level out over level in.
#pragma once

#include "core/effects/inserts.h"

namespace rivlen {

// Removed: there is no curve; what is taken out is drawn over what comes in.
enum class CurveKind { Frequency, Level, Time, Removed };
// Seconds that a curve over time shows.
inline constexpr double kCurveSeconds = 2.0;
[[nodiscard]] CurveKind curve_kind(EffectType kind);
// Frequency: gain in dB at x Hz (a de-esser's at its deepest). Level: dBFS out at x dBFS in, make-up and
// drive included. Time: level of a room x seconds after a click of full scale.
[[nodiscard]] double curve_db(const Insert& part, int sample_rate, double x);

// The noise that a hiss part expects at x Hz, on the scale on which spectrum_of() (tap.h) shows what sounds.
[[nodiscard]] double expected_noise_db(const Insert& hiss, int sample_rate, double x);

}  // namespace rivlen
