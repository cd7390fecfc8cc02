// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/spoken_parts.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/activity.h"
#include "core/dsp/decibels.h"

namespace rivlen {

Result<SpokenParts> find_spoken_parts(const ScratchSound& dialogue, const JobControl& job) {
    constexpr double kStepsASecond = 10;
    constexpr double kLeastDbfs = -55;
    const std::int64_t step = std::llround(dialogue.sample_rate() / kStepsASecond);
    std::vector<float> levels;
    const Status status = dialogue.each(
        job,
        [&](std::int64_t, const AudioBlock& block) -> Status {
            double energy = 0;
            for (std::size_t c = 0; c < block.channels(); ++c) energy += energy_of(block[c]);
            const double samples = static_cast<double>(step) * dialogue.channels();
            levels.push_back(static_cast<float>(db_of_power(energy / samples)));
            return {};
        },
        step);
    if (!status) return status.error();
    SpokenParts out{{}, dialogue.sample_rate(), 0};
    const auto speaks = speaking_steps(levels, kStepsASecond, kLeastDbfs);
    std::int64_t spoken = 0;
    for (std::size_t k = 0; k < speaks.size(); ++k) {
        if (!speaks[k]) continue;
        const std::int64_t first = static_cast<std::int64_t>(k) * step;
        const std::int64_t last = std::min(dialogue.frames(), first + step);
        spoken += last - first;
        if (!out.ranges.empty() && out.ranges.back().last == first) {
            out.ranges.back().last = last;
        } else {
            out.ranges.push_back({first, last});
        }
    }
    out.share =
        static_cast<double>(spoken) / static_cast<double>(std::max<std::int64_t>(1, dialogue.frames()));
    return out;
}

SpokenLoudness::SpokenLoudness(SpokenParts parts, int sample_rate, int channels)
    : ranges_(std::move(parts.ranges)),
      meter_(meter_of(sample_rate, channels, LoudnessMeter::Kind::Quick)),
      part_(sample_rate, static_cast<std::size_t>(channels)) {
    const double ratio = static_cast<double>(sample_rate) / std::max(1, parts.sample_rate);
    for (auto& range : ranges_)
        range = {std::llround(static_cast<double>(range.first) * ratio),
                 std::llround(static_cast<double>(range.last) * ratio)};
}

void SpokenLoudness::add(const AudioBlock& block) {
    const std::int64_t end = at_ + static_cast<std::int64_t>(block.frames());
    while (next_ < ranges_.size() && ranges_[next_].first < end) {
        const std::int64_t first = std::max(at_, ranges_[next_].first);
        const std::int64_t last = std::min(end, ranges_[next_].last);
        if (last > first) {
            part_.clear();
            part_.append(block, static_cast<std::size_t>(first - at_),
                         static_cast<std::size_t>(last - first));
            meter_.add(part_);
        }
        if (ranges_[next_].last > end) break;
        ++next_;
    }
    at_ = end;
}

Result<Level> spoken_lufs(const ScratchSound& sound, const SpokenParts& parts, const JobControl& job) {
    SpokenLoudness loudness(parts, sound.sample_rate(), sound.channels());
    const Status status = sound.each(job, [&](std::int64_t, const AudioBlock& block) -> Status {
        loudness.add(block);
        return {};
    });
    if (!status) return status.error();
    return loudness.integrated_lufs();
}

}  // namespace rivlen
