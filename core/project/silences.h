// SPDX-License-Identifier: GPL-3.0-or-later
// The silences in talk: where the dialogue's level stays low for long enough.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/project/timeline.h"
#include "core/separation/audition.h"
#include "core/separation/settings.h"

namespace rivlen {

enum class SilenceSetting { Threshold, Shortest, Padding, Hysteresis };
inline constexpr std::size_t kSilenceSettings = 4;
[[nodiscard]] const ParameterInfo& info(SilenceSetting setting);

struct SilenceSettings {
    double threshold_dbfs, shortest_ms, padding_ms, hysteresis_db;
    SilenceSettings();  // standard values
};

// Ranges of frames within [0, total) where nobody speaks for at least `shortest`: talk begins at the
// threshold and ends `hysteresis` under it; `padding` is left of them on either side next to talk.
// levels_dbfs: one a step of step_frames frames, from frame 0 on; what lies behind them is silent.
[[nodiscard]] std::vector<LoopRange> find_silences(std::span<const float> levels_dbfs,
                                                   std::int64_t step_frames, std::int64_t total,
                                                   int sample_rate, const SilenceSettings& settings);

// The tracks whose levels together tell where nobody speaks: those that begin with a clip of dialogue.
[[nodiscard]] std::vector<int> dialogue_tracks(const Timeline& timeline);
// Step by step the loudest of several tracks, -200 dBFS behind all of them.
[[nodiscard]] std::vector<float> loudest_of(std::span<const std::span<const float>> levels_dbfs);
// The silences of several tracks together: where none of them speaks. levels_dbfs: of each, as above.
[[nodiscard]] std::vector<LoopRange> find_silences(std::span<const std::span<const float>> levels_dbfs,
                                                   std::int64_t step_frames, std::int64_t total,
                                                   int sample_rate, const SilenceSettings& settings);

}  // namespace rivlen
