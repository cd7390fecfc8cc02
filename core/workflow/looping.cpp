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

bool toggle_own_settings(SessionItem& item, int sample_rate) {
    const LoopRange loop = *item.loop;
    const auto same = [loop](const SettingsRange& r) { return r.first == loop.first && r.last == loop.last; };
    if (std::erase_if(item.ranges, same) > 0) return false;
    item.ranges.push_back({loop.first, loop.last, sample_rate / 20, item.edited()});
    item.loop_on = true;
    return true;
}

}  // namespace rivlen
