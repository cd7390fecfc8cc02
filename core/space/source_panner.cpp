// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/source_panner.h"

#include "core/space/spherical_harmonics.h"

namespace rivlen {

SourcePanner::SourcePanner(Layout layout) : layout_(layout) {
    if (ambisonic_order(layout) == 0) loudspeakers_.emplace(layout);
}

void SourcePanner::gains(Direction direction, double spread_percent, std::span<double> gains) const {
    if (loudspeakers_) return loudspeakers_->gains(direction, spread_percent, gains);
    constexpr double kHalfSphereDeg = 180;
    spherical_harmonics(direction, gains);
    if (spread_percent <= 0) return;
    const auto weights = cap_weights(ambisonic_order(layout_), spread_percent / 100 * kHalfSphereDeg);
    for (std::size_t k = 0; k < gains.size(); ++k)
        gains[k] *= weights[static_cast<std::size_t>(order_of_channel(k))];
}

}  // namespace rivlen
