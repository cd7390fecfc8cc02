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

bool holds_room_tone(ClipSource clip_source) {
    return clip_source == ClipSource::Whole || clip_source == ClipSource::Kept ||
           clip_source == ClipSource::Ambience;
}

void mute_ranges(Timeline& timeline, std::span<const LoopRange> ranges, std::span<const int> tracks,
                 const HasRoomTone& has_room_tone) {
    for (const auto& range : merged(ranges)) {
        split_tracks(timeline, tracks, range.first);
        split_tracks(timeline, tracks, range.last);
        for (auto& track : timeline.tracks) {
            if (!editing::chosen(tracks, track.id)) continue;
            for (auto& c : track.clips) {
                if (c.start < range.first || c.end() > range.last) continue;
                const bool tone = holds_room_tone(c.clip_source) && has_room_tone && has_room_tone(c.path);
                (tone ? c.room_tone : c.mute) = true;
            }
        }
    }
}

std::vector<int> lay_room_tone(Timeline& timeline, int track_id, const LoopRange& range,
                               const HasRoomTone& has_room_tone) {
    Track* track = timeline.track(track_id);
    if (track == nullptr || range.last <= range.first) return {};
    const Clip* like = nullptr;  // the last one before the range, else the first one behind
    std::vector<LoopRange> gaps;
    std::int64_t at = range.first;
    for (const auto& c : track->clips) {
        const bool usable = holds_room_tone(c.clip_source) && has_room_tone(c.path);
        if (usable && (like == nullptr || c.start <= range.first)) like = &c;
        if (c.mute || c.end() <= at || c.start >= range.last) continue;
        if (c.start > at) gaps.push_back({at, c.start});
        at = std::max(at, c.end());
    }
    if (at < range.last) gaps.push_back({at, range.last});
    if (like == nullptr) return {};
    const Clip pattern = *like;
    std::vector<int> made;
    for (const auto& gap : gaps) {
        editing::clear_under(timeline, *track, gap.first, gap.last, {});  // muted ones
        Clip tone = pattern;
        tone.id = timeline.new_id();
        tone.group = 0;
        tone.mute = false;
        tone.room_tone = true;
        tone.fade_in = tone.fade_out = {};
        tone.start = gap.first;
        tone.offset = gap.first;  // other grains in every gap
        tone.length = gap.last - gap.first;
        track->clips.push_back(tone);
        made.push_back(tone.id);
    }
    editing::in_order(*track);
    return made;
}

void toggle_room_tone(Timeline& timeline, std::span<const int> clips) {
    const auto all = with_groups(timeline, clips);
    const auto plays_itself = [&](int id) {
        const Clip* clip = timeline.clip(id);
        return clip != nullptr && holds_room_tone(clip->clip_source) && !clip->room_tone;
    };
    const bool tone = std::ranges::any_of(all, plays_itself);
    for (const int id : all) {
        Clip* clip = timeline.clip(id);
        if (clip != nullptr && holds_room_tone(clip->clip_source)) clip->room_tone = tone;
    }
}

}  // namespace rivlen
