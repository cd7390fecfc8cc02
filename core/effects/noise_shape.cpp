// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/noise_shape.h"

#include <algorithm>

namespace rivlen {

double noise_shape_db(std::span<const float> shape_db, double hz) {
    if (shape_db.empty()) return 0;
    const double last = static_cast<double>(shape_db.size()) - 1;
    const double place = std::clamp(12 * std::log2(std::max(hz, 1.0) / kLowestNoiseHz), 0.0, last);
    const auto before = static_cast<std::size_t>(place);
    const std::size_t behind = std::min(before + 1, shape_db.size() - 1);
    const double part = place - static_cast<double>(before);
    return (1 - part) * static_cast<double>(shape_db[before]) + part * static_cast<double>(shape_db[behind]);
}

}  // namespace rivlen
