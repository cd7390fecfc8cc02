// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/stretches.h"

#include <algorithm>

namespace rivlen {

std::vector<Stretch> stretches_to_look_at(std::int64_t frames, int sample_rate) {
    constexpr int kWholeSeconds = 240, kStretchSeconds = 30, kStretches = 8;
    if (frames <= static_cast<std::int64_t>(kWholeSeconds) * sample_rate) return {{0, frames}};
    std::vector<Stretch> out;
    const auto length = static_cast<std::int64_t>(kStretchSeconds) * sample_rate;
    for (int i = 0; i < kStretches; ++i) {
        const std::int64_t first = (frames - length) * i / (kStretches - 1);
        out.push_back({first, first + length});
    }
    return out;
}

void fade_ends(std::span<float> stretch, int sample_rate) {
    const auto fade = std::min(stretch.size() / 2, static_cast<std::size_t>(sample_rate / 50));
    for (std::size_t i = 0; i < fade; ++i) {
        const float gain = static_cast<float>(i) / static_cast<float>(fade);
        stretch[i] *= gain;
        stretch[stretch.size() - 1 - i] *= gain;
    }
}

}  // namespace rivlen
