// SPDX-License-Identifier: GPL-3.0-or-later
// What of a correction is a number, as one table for the window, the labels and the tests.
#pragma once

#include "core/base/parameter.h"
#include "core/separation/corrections.h"

namespace rivlen {

enum class CorrectionSetting { Strength, TakeDown, EdgeTime, EdgePitch, BrushTime, BrushPitch, Partial };
inline constexpr std::size_t kCorrectionSettings = 7;
[[nodiscard]] const ParameterInfo& info(CorrectionSetting setting);
[[nodiscard]] double value_of(const Correction& correction, CorrectionSetting setting);
void set_value(Correction& correction, CorrectionSetting setting, double value);
// Whether it does anything to a correction of this kind and shape.
[[nodiscard]] bool acts_on(const Correction& correction, CorrectionSetting setting);

}  // namespace rivlen
