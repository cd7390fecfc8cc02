// What a part does, as a curve: magnitude over frequency, or level out over level in.
#pragma once

#include "core/chain/parts.h"

namespace rivlen {

// Removed: there is no curve; what is taken out is drawn over what comes in.
enum class CurveKind { None, Frequency, Level, Removed };
[[nodiscard]] CurveKind curve_kind(PartKind kind);
// Frequency: gain in dB at x Hz (a de-esser's at its deepest). Level: dBFS out at x dBFS in, make-up and
// drive included.
[[nodiscard]] double curve_db(const ChainPart& part, int sample_rate, double x);

}  // namespace rivlen
