// SPDX-License-Identifier: GPL-3.0-or-later

#include "core/project/editing_pieces.h"

#include <algorithm>

namespace rivlen::editing {

void in_order(Track& track) {
    std::ranges::stable_sort(track.clips, {}, &Clip::start);
}

void fit_fades(Clip& clip) {
    clip.fade_in.frames = std::clamp<std::int64_t>(clip.fade_in.frames, 0, clip.length);
    clip.fade_out.frames =
        std::clamp<std::int64_t>(clip.fade_out.frames, 0, clip.length - clip.fade_in.frames);
}

std::int64_t left_behind(const Clip& clip, const MediaLength& length) {
    if (clip.room_tone) return kEver;
    const std::int64_t total = length ? length(clip.path) : 0;
    return std::max<std::int64_t>(0, total - clip.offset - clip.length);
}

Clip part_of_clip(const Clip& whole, std::int64_t first, std::int64_t last) {
    Clip out = piece_of(whole, first, last);
    if (out.start != whole.start) out.fade_in = {};
    if (out.end() != whole.end()) out.fade_out = {};
    fit_fades(out);
    return out;
}

void clear_under(Timeline& timeline, Track& track, std::int64_t first, std::int64_t last,
                 const std::set<int>& keep) {
    std::vector<Clip> out;
    for (const auto& clip : track.clips) {
        if (keep.contains(clip.id) || clip.end() <= first || clip.start >= last) {
            out.push_back(clip);
            continue;
        }
        if (clip.start < first) out.push_back(part_of_clip(clip, 0, first));
        if (clip.end() > last) {
            Clip later = part_of_clip(clip, last, kEver);
            if (clip.start < first) later.id = timeline.new_id();
            out.push_back(std::move(later));
        }
    }
    track.clips = std::move(out);
    in_order(track);
}

bool chosen(std::span<const int> tracks, int id) {
    return tracks.empty() || std::ranges::find(tracks, id) != tracks.end();
}

Clip& put(Timeline& timeline, Track& track, const Placement& placement, ClipSource clip_source,
          int group_id) {
    Clip clip;
    clip.id = timeline.new_id();
    clip.path = placement.path;
    clip.clip_source = clip_source;
    clip.start = std::max<std::int64_t>(0, placement.at);
    clip.length = std::max<std::int64_t>(1, placement.length);
    clip.group = group_id;
    clear_under(timeline, track, clip.start, clip.end(), {});
    track.clips.push_back(clip);
    in_order(track);
    return *std::ranges::find(track.clips, clip.id, &Clip::id);
}

}  // namespace rivlen::editing
