// SPDX-License-Identifier: GPL-3.0-or-later
// What stands behind the channels of a sound device.
#pragma once

#include <cstddef>

#include "core/space/layout.h"

namespace rivlen {

inline constexpr std::size_t kMostDeviceChannels = 12;

// The loudspeakers of a device with so many channels: 2 to 5 are stereo, 6 and 7 5.1, 8 and 9 7.1, 10 and 11
// 5.1.4, 12 and more 7.1.4.
[[nodiscard]] Layout layout_of_device(int channels);
// At which of the device's channels a channel of its layout stands. Devices have the order of WAVE files
// (WAVEFORMATEXTENSIBLE): of four channels at ear height behind the listener's ears and aside, the rears come
// before the sides.
[[nodiscard]] std::size_t place_at_device(Layout layout, std::size_t channel);

}  // namespace rivlen
