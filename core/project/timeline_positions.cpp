// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace rivlen {

std::vector<std::int64_t> snap_points(const Timeline& timeline, std::span<const int> moving) {
    std::set<std::int64_t> points = {0};
    for (const auto& track : timeline.tracks) {
        for (const auto& c : track.clips) {
            if (std::ranges::find(moving, c.id) != moving.end()) continue;
            points.insert(c.start);
            points.insert(c.end());
        }
    }
    for (const auto& c : timeline.picture) {
        points.insert(c.start);
        points.insert(c.end());
    }
    if (timeline.loop) {
        points.insert(timeline.loop->first);
        points.insert(timeline.loop->last);
    }
    return {points.begin(), points.end()};
}

std::optional<std::int64_t> snapped(std::span<const std::int64_t> points, std::int64_t frame,
                                    std::int64_t reach) {
    std::optional<std::int64_t> best;
    for (const std::int64_t p : points) {
        if (std::abs(p - frame) <= reach && (!best || std::abs(p - frame) < std::abs(*best - frame)))
            best = p;
    }
    return best;
}

// Exact in integers: picture frame n begins at ceil(n * rate * den / num).
std::int64_t picture_frame_of(const Timeline& r, std::int64_t frame) {
    const std::int64_t over = static_cast<std::int64_t>(r.sample_rate) * r.frame_rate.den;
    if (over == 0) return 0;
    return frame * r.frame_rate.num / over;
}

std::string timecode_at(const Timeline& r, std::int64_t frame) {
    return format_timecode(r.first_timecode_frame + picture_frame_of(r, frame), r.frame_rate, r.drop_frame);
}

std::int64_t frame_of_picture(const Timeline& r, std::int64_t picture_frame) {
    const std::int64_t over = static_cast<std::int64_t>(r.sample_rate) * r.frame_rate.den;
    return (picture_frame * over + r.frame_rate.num - 1) / r.frame_rate.num;
}

std::int64_t on_picture_frame(const Timeline& r, std::int64_t frame) {
    const std::int64_t before = frame_of_picture(r, picture_frame_of(r, frame));
    const std::int64_t after = frame_of_picture(r, picture_frame_of(r, frame) + 1);
    return frame - before <= after - frame ? before : after;
}

}  // namespace rivlen
