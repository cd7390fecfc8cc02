// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/following_rules.h"

#include <algorithm>
#include <cmath>

#include "core/project/editing.h"

namespace rivlen {

std::optional<FollowedRange> range_to_follow(const Timeline& r, std::int64_t frame) {
    const VideoClip* cut = r.sample_rate > 0 ? picture_at(r, frame) : nullptr;
    if (cut == nullptr) return {};
    FollowedRange out;
    out.picture = cut->path;
    out.first = frame;
    out.last = cut->end();
    if (r.loop && frame >= r.loop->first && frame < r.loop->last) out.last = std::min(out.last, r.loop->last);
    const auto seconds_at = [&](std::int64_t at) {
        return static_cast<double>(cut->offset + at - cut->start) / r.sample_rate;
    };
    out.first_seconds = seconds_at(out.first);
    out.last_seconds = seconds_at(out.last);
    out.frames_a_second = r.frame_rate.per_second();
    return out;
}

namespace {

// The line's points in the range are replaced by others.
void replace_points(Strip& strip, LaneTarget target, const FollowedRange& range,
                    const std::vector<Breakpoint>& by) {
    const StripLane lane{target, 0, 0, {}};
    std::vector<Breakpoint> points;
    for (const auto& point : points_of(strip, lane)) {
        if (point.frame < range.first || point.frame >= range.last) points.push_back(point);
    }
    points.insert(points.end(), by.begin(), by.end());
    set_points(strip, lane, std::move(points));
}

}  // namespace

std::vector<FollowedStretch> write_followed(Timeline& r, int strip_id, const FollowedRange& range,
                                            const Following& following, double aspect) {
    Strip* strip = r.strip(strip_id);
    if (strip == nullptr) return {};
    const auto frame_of = [&](double seconds) {
        return range.first + std::llround((seconds - range.first_seconds) * r.sample_rate);
    };
    const auto place = place_of_following(following, r.screen_width_deg, aspect, frame_of);
    replace_points(*strip, LaneTarget::Azimuth, range, place.azimuth_deg);
    if (has_height(r.layout_behind(strip_id)))
        replace_points(*strip, LaneTarget::Elevation, range, place.elevation_deg);
    auto lost = following.lost;
    std::ranges::stable_sort(lost, std::ranges::greater{},
                             [](const FollowedStretch& s) { return s.last_seconds - s.first_seconds; });
    return lost;
}

}  // namespace rivlen
