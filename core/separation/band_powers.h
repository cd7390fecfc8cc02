// SPDX-License-Identifier: GPL-3.0-or-later
// Power of a recording in the bands of a mask map, frame by frame of the map.
#pragma once

#include <cstdint>
#include <vector>

#include "core/media/source.h"
#include "core/separation/bands.h"
#include "core/separation/mask_map.h"

namespace rivlen {

inline constexpr double kMapFramesPerSecond = static_cast<double>(kModelRate) / kModelHop;

// Frames [first, last) of the map, [frame][band]: the squared magnitudes of the bins of the band, summed over
// bins and channels, in the scale of Stft::forward(). Outside the recording there is silence.
// filled_by: as its fills leave the sound (MaskMap::add_fills).
[[nodiscard]] std::vector<float> band_powers(const Source& source, std::int64_t first, std::int64_t last,
                                             const MaskMap* filled_by = nullptr);

// What it finds of a full-scale sine in every channel, all bands of a frame together.
[[nodiscard]] double power_of_full_scale(const Source& source);

}  // namespace rivlen
