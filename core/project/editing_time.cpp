// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>

#include "core/project/editing_pieces.h"

namespace rivlen {
namespace {

// Ranges in order, without overlaps.
std::vector<LoopRange> merged(std::span<const LoopRange> ranges) {
    std::vector<LoopRange> sorted(ranges.begin(), ranges.end());
    std::erase_if(sorted, [](const LoopRange& r) { return r.last <= r.first; });
    std::ranges::sort(sorted, {}, &LoopRange::first);
    std::vector<LoopRange> out;
    for (const auto& r : sorted) {
        if (!out.empty() && r.first <= out.back().last) {
            out.back().last = std::max(out.back().last, r.last);
        } else {
            out.push_back(r);
        }
    }
    return out;
}

// Removes [first, last) from a line and moves what is later; the line keeps its value at both edges.
void cut_from_line(std::vector<Breakpoint>& points, const LoopRange& range) {
    if (points.empty()) return;
    const std::int64_t gone = range.last - range.first;
    const bool within = points.front().frame < range.last && points.back().frame >= range.first;
    const double before = lane_value(points, range.first - 1);
    const double after = lane_value(points, range.last);
    erase_points(points, range.first, range.last);
    for (auto& p : points) {
        if (p.frame >= range.last) p.frame -= gone;
    }
    if (!within) return;
    if (range.first > 0) put_point(points, {range.first - 1, before});
    put_point(points, {range.first, after});
}

}  // namespace

void cut_time(Timeline& timeline, std::span<const LoopRange> ranges, std::span<const int> tracks,
              bool picture) {
    const auto in_time = merged(ranges);
    for (auto range = in_time.rbegin(); range != in_time.rend();
         ++range) {  // from the last on: frames stay valid
        const std::int64_t gone = range->last - range->first;
        split_tracks(timeline, tracks, range->first);
        split_tracks(timeline, tracks, range->last);
        for (auto& track : timeline.tracks) {
            if (!editing::chosen(tracks, track.id)) continue;
            std::erase_if(track.clips,
                          [&](const Clip& c) { return c.start >= range->first && c.end() <= range->last; });
            for (auto& c : track.clips) {
                if (c.start >= range->last) c.start -= gone;
            }
            for (auto& line : track.strip.lines) cut_from_line(line.points, *range);
        }
        if (!picture) continue;
        split_picture(timeline, range->first);
        split_picture(timeline, range->last);
        std::erase_if(timeline.picture,
                      [&](const VideoClip& c) { return c.start >= range->first && c.end() <= range->last; });
        for (auto& c : timeline.picture) {
            if (c.start >= range->last) c.start -= gone;
        }
    }
}

void mute_ranges(Timeline& timeline, std::span<const LoopRange> ranges, std::span<const int> tracks) {
    for (const auto& range : merged(ranges)) {
        split_tracks(timeline, tracks, range.first);
        split_tracks(timeline, tracks, range.last);
        for (auto& track : timeline.tracks) {
            if (!editing::chosen(tracks, track.id)) continue;
            for (auto& c : track.clips) {
                if (c.start >= range.first && c.end() <= range.last) c.mute = true;
            }
        }
    }
}

}  // namespace rivlen
