// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/silences.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/dsp/activity.h"

namespace rivlen {

const ParameterInfo& info(SilenceSetting setting) {
    static constexpr std::array<ParameterInfo, kSilenceSettings> kInfos = {
        {{"threshold", "Threshold", "dBFS", -80, -10, -45, 1, false, false,
          "Talk is what is louder than this.", "Too high: soft words count as silence."},
         {"shortest", "Shortest", "ms", 100, 10000, 700, 50, false, false, "Only longer silences are taken.",
          "Too short: the talk loses its breath."},
         {"padding", "Padding", "ms", 0, 2000, 150, 10, false, false,
          "What is left of a silence next to talk.", "Too little: beginnings and ends of words are clipped."},
         {"hysteresis", "Hysteresis", "dB", 0, 20, 6, 0.5, false, false,
          "A word ends only this far under the threshold.",
          "Too much: the place behind the words counts as talk."}}};
    return kInfos[static_cast<std::size_t>(setting)];
}

SilenceSettings::SilenceSettings()
    : threshold_dbfs(info(SilenceSetting::Threshold).standard),
      shortest_ms(info(SilenceSetting::Shortest).standard),
      padding_ms(info(SilenceSetting::Padding).standard),
      hysteresis_db(info(SilenceSetting::Hysteresis).standard) {}

std::vector<LoopRange> find_silences(std::span<const float> levels, std::int64_t step, std::int64_t total,
                                     int sample_rate, const SilenceSettings& settings) {
    const auto frames = [sample_rate](double ms) {
        return static_cast<std::int64_t>(std::llround(ms / 1000.0 * sample_rate));
    };
    const std::int64_t shortest = frames(settings.shortest_ms);
    const std::int64_t padding = frames(settings.padding_ms);
    std::vector<LoopRange> out;
    const auto take = [&](std::int64_t first, std::int64_t last) {
        if (last - first < shortest) return;
        if (first > 0) first += padding;
        if (last < total) last -= padding;
        if (last > first) out.push_back({first, last});
    };
    auto talks = Activity::of_talk(settings.threshold_dbfs, settings.hysteresis_db,
                                   static_cast<double>(sample_rate) / static_cast<double>(step));
    std::int64_t first = 0;
    const auto steps = static_cast<std::int64_t>(levels.size());
    for (std::int64_t k = 0; k < steps && k * step < total; ++k) {
        if (!talks.step(static_cast<double>(levels[static_cast<std::size_t>(k)]))) continue;
        take(first, k * step);
        first = std::min(total, (k + 1) * step);
    }
    take(first, total);
    return out;
}

std::vector<int> dialogue_tracks(const Timeline& timeline) {
    std::vector<int> tracks;
    for (const auto& track : timeline.tracks) {
        if (!track.clips.empty() && track.clips.front().clip_source == ClipSource::Dialogue)
            tracks.push_back(track.id);
    }
    return tracks;
}

std::vector<float> loudest_of(std::span<const std::span<const float>> levels_dbfs) {
    constexpr float kNothing = -200.0F;  // dBFS
    std::vector<float> loudest;
    for (const auto& levels : levels_dbfs) {
        loudest.resize(std::max(loudest.size(), levels.size()), kNothing);
        for (std::size_t k = 0; k < levels.size(); ++k) loudest[k] = std::max(loudest[k], levels[k]);
    }
    return loudest;
}

std::vector<LoopRange> find_silences(std::span<const std::span<const float>> levels_dbfs,
                                     std::int64_t step_frames, std::int64_t total, int sample_rate,
                                     const SilenceSettings& settings) {
    if (levels_dbfs.empty()) return {};
    return find_silences(loudest_of(levels_dbfs), step_frames, total, sample_rate, settings);
}

}  // namespace rivlen
