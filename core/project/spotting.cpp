// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/spotting.h"

#include <cmath>

#include "core/project/editing.h"

namespace rivlen {

std::int64_t nudged(const Timeline& timeline, std::int64_t frame, NudgeUnit unit, int by) {
    const double rate = timeline.sample_rate;
    double size = 1;  // of a unit, in frames of sound
    switch (unit) {
        case NudgeUnit::Sample:
            break;
        case NudgeUnit::Millisecond:
            size = rate / 1000;
            break;
        case NudgeUnit::TenMilliseconds:
            size = rate / 100;
            break;
        case NudgeUnit::Subframe:
            size = rate / timeline.frame_rate.per_second() / 100;
            break;
        case NudgeUnit::Frame:
            size = rate / timeline.frame_rate.per_second();
            break;
    }
    // What lies between the grid of the unit and the frame stays as it is.
    const auto place = [size](std::int64_t count) { return std::llround(static_cast<double>(count) * size); };
    const auto count = static_cast<std::int64_t>(std::llround(static_cast<double>(frame) / size));
    return frame - place(count) + place(count + by);
}

std::optional<std::int64_t> frame_of_timecode(const Timeline& timeline, std::string_view text) {
    const auto picture = parse_timecode(text, timeline.frame_rate);
    if (!picture || *picture < timeline.first_timecode_frame) return std::nullopt;
    return frame_of_picture(timeline, *picture - timeline.first_timecode_frame);
}

}  // namespace rivlen
