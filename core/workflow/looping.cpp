// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/looping.h"

#include <algorithm>

namespace rivlen {

int step_pre_roll(SessionItem& item, int sample_rate) {
    const std::int64_t now = item.pre_roll_frames / sample_rate;
    const int seconds = now < 1 ? 1 : now < 2 ? 2 : now < 5 ? 5 : 0;
    item.pre_roll_frames = std::int64_t{sample_rate} * seconds;
    return seconds;
}

void begin_loop(SessionItem& item, std::int64_t frame, std::int64_t frames) {
    const std::int64_t first = std::clamp<std::int64_t>(frame, 0, std::max<std::int64_t>(0, frames - 1));
    const std::int64_t last = item.loop && item.loop->last > first ? item.loop->last : frames;
    item.loop = LoopRange{first, last};
    item.loop_on = true;
}

void end_loop(SessionItem& item, std::int64_t frame, std::int64_t frames) {
    const std::int64_t last = std::clamp<std::int64_t>(frame, 1, std::max<std::int64_t>(1, frames));
    const std::int64_t first = item.loop && item.loop->first < last ? item.loop->first : 0;
    item.loop = LoopRange{first, last};
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
