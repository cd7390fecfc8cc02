// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/looping.h"

#include <algorithm>
#include <cmath>

namespace rivlen {

int step_pre_roll(SessionItem& item, int sample_rate) {
    const std::int64_t now = item.pre_roll_frames / sample_rate;
    const int seconds = now < 1 ? 1 : now < 2 ? 2 : now < 5 ? 5 : 0;
    item.pre_roll_frames = std::int64_t{sample_rate} * seconds;
    return seconds;
}

LoopRange loop_between(std::int64_t a, std::int64_t b, std::int64_t frames, int sample_rate) {
    const auto shortest =
        std::min(std::llround(kShortestLoopSeconds * sample_rate), std::max<long long>(1, frames));
    const std::int64_t first = std::clamp<std::int64_t>(std::min(a, b), 0, frames - shortest);
    return {first, std::clamp<std::int64_t>(std::max(a, b), first + shortest, frames)};
}

void begin_loop(SessionItem& item, std::int64_t frame, std::int64_t frames, int sample_rate) {
    const std::int64_t last = item.loop && item.loop->last > frame ? item.loop->last : frames;
    item.loop = loop_between(frame, last, frames, sample_rate);
    item.loop_on = true;
}

void end_loop(SessionItem& item, std::int64_t frame, std::int64_t frames, int sample_rate) {
    const std::int64_t first = item.loop && item.loop->first < frame ? item.loop->first : 0;
    item.loop = loop_between(first, frame, frames, sample_rate);
    item.loop_on = true;
}

bool toggle_own_settings(SessionItem& item, int sample_rate) {
    const LoopRange loop = *item.loop;
    const auto same = [loop](const SettingsRange& r) { return r.first == loop.first && r.last == loop.last; };
    if (std::erase_if(item.ranges, same) > 0) return false;
    item.ranges.push_back({loop.first, loop.last, sample_rate / 20, item.edited()});
    item.loop_on = true;
    return true;
}

}  // namespace rivlen
