// SPDX-License-Identifier: GPL-3.0-or-later
// A clean voice, and known damage to it.
#pragma once

#include <vector>

namespace rivlen::test {

// Twenty seconds of the demo's voice at kRate, which no threshold was set on.
[[nodiscard]] const std::vector<float>& demo_voice();
// A hum of so many tones, at kRate; the k-th is 1 / k of the first, whose peak is at level_dbfs.
void add_hum(std::vector<float>& sound, double hz, int tones, double level_dbfs);
[[nodiscard]] std::vector<float> clipped(std::vector<float> sound, float level);

}  // namespace rivlen::test
