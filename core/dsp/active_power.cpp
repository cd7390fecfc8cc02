// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/active_power.h"

#include <algorithm>

#include "core/dsp/decibels.h"

namespace rivlen {

double active_power(std::span<const float> x, int sample_rate) {
    const auto block_frames = static_cast<std::size_t>(sample_rate / 20);
    const auto power = [](std::span<const float> s) {
        return s.empty() ? 0.0 : energy_of(s) / static_cast<double>(s.size());
    };
    std::vector<double> blocks;
    for (std::size_t i = 0; i + block_frames <= x.size(); i += block_frames)
        blocks.push_back(power(x.subspan(i, block_frames)));
    if (blocks.empty()) return power(x);
    const double limit = *std::ranges::max_element(blocks) * 0.00316;
    double sum = 0.0;
    int count = 0;
    for (const double p : blocks) {
        if (p >= limit) {
            sum += p;
            ++count;
        }
    }
    return count > 0 ? sum / count : 0.0;
}

double active_power(std::span<const std::vector<float>> channels, int sample_rate) {
    double highest = 0.0;
    for (const auto& channel : channels)
        highest = std::max(highest, active_power(std::span<const float>(channel), sample_rate));
    return highest;
}

}  // namespace rivlen
