// SPDX-License-Identifier: GPL-3.0-or-later
// Scale-invariant signal-to-distortion ratio: J. Le Roux, S. Wisdom, H. Erdogan, J. R. Hershey, "SDR -
// half-baked or well done?", ICASSP 2019, equation (5).
#pragma once

#include <span>

namespace rivlen {

// In dB. estimate and reference have the same number of samples. A silent reference gives -infinity, a
// perfect estimate +infinity; callers clamp as they need.
[[nodiscard]] double si_sdr_db(std::span<const float> estimate, std::span<const float> reference);

}  // namespace rivlen
