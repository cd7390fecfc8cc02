// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/level_match.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/metering/loudness.h"
#include "core/separation/shaper.h"

namespace rivlen {

namespace {

constexpr double kInaudibleLufs = -62.0;  // turning such a residue up would only show noise
constexpr double kLargestGainDb = 20.0;
constexpr int kLongestSeconds = 60;

}  // namespace

Result<MatchResult> measure_match(const Source& source, const MaskMap* map, const TimedSettings& settings,
                                  std::int64_t first, std::int64_t last, const JobControl& job) {
    MatchResult result;
    result.gain.fill(1.0F);
    result.loudness_lufs.fill(-120.0);
    if (map == nullptr) return result;
    last = std::min(last, first + static_cast<std::int64_t>(kLongestSeconds) * source.sample_rate());
    const TimedMaskWeights timed(settings);
    // Kept, the stems, parts of the music where it is opened, and the whole without what is cut.
    const std::size_t sounds = map->opens_music() ? kSounds : kStems;
    std::vector<MaskWeights> weight_sets(2 + sounds);
    weight_sets.back() = whole_weights();
    const auto weight_sets_at = [&](std::int64_t frame) {
        weight_sets[0] = timed.kept(frame);
        for (std::size_t s = 0; s < sounds; ++s) weight_sets[1 + s] = timed.stem(s, frame);
        return std::span<const MaskWeights>(weight_sets);
    };
    std::vector<LoudnessMeter> meters;
    meters.reserve(kMonitors);
    for (int m = 0; m < kMonitors; ++m) meters.emplace_back(source.sample_rate(), source.channels());
    AudioBlock original(source.sample_rate(), static_cast<std::size_t>(source.channels()));
    AudioBlock removed, cut;
    const Status status =
        render(source, *map, weight_sets.size(), weight_sets_at, first, last, job,
               [&](std::int64_t start, auto blocks) {
                   original.resize(blocks[0].frames());
                   for (std::size_t c = 0; c < original.channels(); ++c)
                       source.read(static_cast<int>(c), start, original[c]);
                   const AudioBlock& whole = blocks[1 + sounds];
                   removed = whole;
                   cut = original;
                   for (std::size_t c = 0; c < removed.channels(); ++c) {
                       for (std::size_t i = 0; i < removed.frames(); ++i) {
                           removed[c][i] -= blocks[0][c][i];
                           cut[c][i] -= whole[c][i];
                       }
                   }
                   meters[static_cast<std::size_t>(Monitor::Source)].add(original);
                   meters[static_cast<std::size_t>(Monitor::Kept)].add(blocks[0]);
                   meters[static_cast<std::size_t>(Monitor::Removed)].add(removed);
                   meters[static_cast<std::size_t>(Monitor::Cut)].add(cut);
                   for (std::size_t s = 0; s < sounds; ++s)
                       meters[static_cast<std::size_t>(monitor_of_sound(s))].add(blocks[1 + s]);
                   return Status{};
               });
    if (!status) return status.error();
    for (std::size_t m = 0; m < kMonitors; ++m) result.loudness_lufs[m] = meters[m].result().integrated_lufs;
    const double wanted = result.loudness_lufs[0].value_or(-HUGE_VAL);
    for (std::size_t m = 1; m < kMonitors; ++m) {
        const double is = result.loudness_lufs[m].value_or(-HUGE_VAL);
        if (is < kInaudibleLufs || wanted < kInaudibleLufs) continue;
        const double gain_db = std::clamp(wanted - is, -kLargestGainDb, kLargestGainDb);
        result.gain[m] = static_cast<float>(amplitude_of_db(gain_db));
    }
    return result;
}

}  // namespace rivlen
