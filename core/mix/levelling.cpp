// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/levelling.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/dsp/activity.h"
#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kToleranceDb = 0.25;
}  // namespace

const ParameterInfo& info(LevelSetting setting) {
    static constexpr std::array<ParameterInfo, kLevelSettings> kInfos = {
        {{"target", "Target", "dBFS", -50, -6, -24, 0.5, false, false,
          "The level (RMS) that talk is brought to.", "Loud targets leave no room for peaks."},
         {"range", "Range", "dB", 0, 24, 9, 0.5, false, false, "At most this much up or down.",
          "Far talkers bring their place with them."},
         {"seconds", "Over", "s", 0.5, 20, 3, 0.5, false, false, "Time over which the level is taken.",
          "Too short: every word is equally loud."}}};
    return kInfos[static_cast<std::size_t>(setting)];
}

LevelSettings::LevelSettings()
    : target_dbfs(info(LevelSetting::Target).standard),
      range_db(info(LevelSetting::Range).standard),
      seconds(info(LevelSetting::Seconds).standard) {}

std::vector<Breakpoint> levelling_line(std::span<const float> levels, std::int64_t step, int sample_rate,
                                       const LevelSettings& s) {
    // Sums of power and of speaking steps from the start: any window's mean at once.
    const auto speech = speaking_steps(levels, static_cast<double>(sample_rate) / static_cast<double>(step));
    std::vector<double> power = {0};
    std::vector<double> count = {0};
    for (std::size_t k = 0; k < levels.size(); ++k) {
        power.push_back(power.back() + (speech[k] ? power_of_db(static_cast<double>(levels[k])) : 0.0));
        count.push_back(count.back() + (speech[k] ? 1.0 : 0.0));
    }
    const auto half =
        std::max<std::int64_t>(1, std::llround(s.seconds * sample_rate / static_cast<double>(step)));
    const auto steps = static_cast<std::int64_t>(levels.size());
    std::vector<Breakpoint> points;
    double gain = 0;
    bool begun = false;
    for (std::int64_t k = 0; k < steps; ++k) {
        const auto first = static_cast<std::size_t>(std::max<std::int64_t>(0, k - half));
        const auto last = static_cast<std::size_t>(std::min(steps, k + half + 1));
        const double words = count[last] - count[first];
        if (words < 0.5) continue;
        gain = std::clamp(s.target_dbfs - db_of_power((power[last] - power[first]) / words), -s.range_db,
                          s.range_db);
        if (!begun && k > 0) points.push_back({0, gain});
        begun = true;
        points.push_back({k * step, gain});
    }
    return thinned(points, kToleranceDb);
}

}  // namespace rivlen
