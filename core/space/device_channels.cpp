// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/device_channels.h"

namespace rivlen {

Layout layout_of_device(int channels) {
    if (channels >= 12) return Layout::Surround714;
    if (channels >= 10) return Layout::Surround514;
    if (channels >= 8) return Layout::Surround71;
    return channels >= 6 ? Layout::Surround51 : Layout::Stereo;
}

std::size_t place_at_device(Layout layout, std::size_t channel) {
    if (layout != Layout::Surround71 && layout != Layout::Surround714) return channel;
    constexpr std::size_t kFirstSide = 4, kFirstRear = 6, kFirstAbove = 8;
    if (channel < kFirstSide || channel >= kFirstAbove) return channel;
    return channel < kFirstRear ? channel + 2 : channel - 2;
}

}  // namespace rivlen
