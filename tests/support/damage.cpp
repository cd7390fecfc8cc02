// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/damage.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "tests/support/fixtures.h"

namespace rivlen::test {

const std::vector<float>& demo_voice() {
    static const std::vector<float> sound = [] {
        const Scratch scratch;
        const auto source = Source::bring_in(std::filesystem::path(RIVLEN_ROOT) / "demo/parts/dialogue.flac",
                                             scratch.folder());
        std::vector<float> out(20 * kRate);
        if (source.ok()) source->read(0, 0, out);
        return out;
    }();
    return sound;
}

void add_hum(std::vector<float>& sound, double hz, int tones, double level_dbfs) {
    constexpr double kTurn = 2 * std::numbers::pi;
    for (std::size_t i = 0; i < sound.size(); ++i) {
        for (int k = 1; k <= tones; ++k)
            sound[i] += static_cast<float>(amplitude_of_db(level_dbfs) / k *
                                           std::sin(kTurn * k * hz * static_cast<double>(i) / kRate + k));
    }
}

std::vector<float> clipped(std::vector<float> sound, float level) {
    for (float& v : sound) v = std::clamp(v, -level, level);
    return sound;
}

}  // namespace rivlen::test
