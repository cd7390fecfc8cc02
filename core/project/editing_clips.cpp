// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <map>
#include <set>

#include "core/project/editing_pieces.h"

namespace rivlen {
namespace {

void split_where(Timeline& timeline, std::int64_t frame,
                 const std::function<bool(const Track&, const Clip&)>& wanted) {
    editing::NewGroups groups(timeline);
    for (auto& track : timeline.tracks) {
        std::vector<Clip> behind;
        for (auto& clip : track.clips) {
            if (frame <= clip.start || frame >= clip.end() || !wanted(track, clip)) continue;
            Clip later = editing::part_of_clip(clip, frame, editing::kEver);
            later.id = timeline.new_id();
            later.group = groups.of(clip.group);
            clip = editing::part_of_clip(clip, 0, frame);
            behind.push_back(std::move(later));
        }
        track.clips.insert(track.clips.end(), behind.begin(), behind.end());
        editing::in_order(track);
    }
}

}  // namespace

std::vector<int> with_groups(const Timeline& timeline, std::span<const int> clips) {
    std::vector<int> out(clips.begin(), clips.end());
    if (!timeline.edit_groups) return out;
    std::set<int> groups;
    for (const int id : clips) {
        const Clip* clip = timeline.clip(id);
        if (clip != nullptr && clip->group != 0) groups.insert(clip->group);
    }
    for (const auto& track : timeline.tracks) {
        for (const auto& clip : track.clips) {
            if (groups.contains(clip.group) && std::ranges::find(out, clip.id) == out.end())
                out.push_back(clip.id);
        }
    }
    return out;
}

void split_clips(Timeline& timeline, std::span<const int> clips, std::int64_t frame) {
    const auto all = with_groups(timeline, clips);
    split_where(timeline, frame,
                [&](const Track&, const Clip& c) { return std::ranges::find(all, c.id) != all.end(); });
}

void split_tracks(Timeline& timeline, std::span<const int> tracks, std::int64_t frame) {
    split_where(timeline, frame, [&](const Track& t, const Clip&) { return editing::chosen(tracks, t.id); });
}

void trim_start(Timeline& timeline, int clip, std::int64_t by) {
    const std::array<int, 1> one = {clip};
    const auto all = with_groups(timeline, one);
    for (const int id : all) {  // as far as all can go
        const Clip& c = *timeline.clip(id);
        by = std::clamp(by, -std::min(c.offset, c.start), c.length - 1);
    }
    for (const int id : all) {
        Clip& c = *timeline.clip(id);
        c.start += by;
        c.offset += by;
        c.length -= by;
        editing::fit_fades(c);
        editing::in_order(*timeline.track_of_clip(id));
    }
}

void trim_end(Timeline& timeline, int clip, std::int64_t by, const MediaLength& length) {
    const std::array<int, 1> one = {clip};
    const auto all = with_groups(timeline, one);
    for (const int id : all) {
        const Clip& c = *timeline.clip(id);
        by = std::clamp(by, 1 - c.length, editing::left_behind(c, length));
    }
    for (const int id : all) {
        Clip& c = *timeline.clip(id);
        c.length += by;
        editing::fit_fades(c);
    }
}

void slip(Timeline& timeline, int clip, std::int64_t by, const MediaLength& length) {
    const std::array<int, 1> one = {clip};
    const auto all = with_groups(timeline, one);
    for (const int id : all) {
        const Clip& c = *timeline.clip(id);
        by = std::clamp(by, -c.offset, editing::left_behind(c, length));
    }
    for (const int id : all) timeline.clip(id)->offset += by;
}

std::int64_t move_clips(Timeline& timeline, std::span<const int> clips, std::int64_t by, int track_steps) {
    const auto all = with_groups(timeline, clips);
    const std::set<int> moving(all.begin(), all.end());
    std::ptrdiff_t highest = std::ssize(timeline.tracks);
    std::ptrdiff_t lowest = -1;
    for (std::ptrdiff_t t = 0; t < std::ssize(timeline.tracks); ++t) {
        for (const auto& c : timeline.tracks[static_cast<std::size_t>(t)].clips) {
            if (!moving.contains(c.id)) continue;
            by = std::max(by, -c.start);
            highest = std::min(highest, t);
            lowest = std::max(lowest, t);
        }
    }
    if (lowest < 0) return 0;
    const auto steps =
        std::clamp<std::ptrdiff_t>(track_steps, -highest, std::ssize(timeline.tracks) - 1 - lowest);
    std::vector<std::vector<Clip>> arriving(timeline.tracks.size());
    for (std::size_t t = 0; t < timeline.tracks.size(); ++t) {
        auto& list = timeline.tracks[t].clips;
        for (auto& c : list) {
            if (!moving.contains(c.id)) continue;
            c.start += by;
            arriving[static_cast<std::size_t>(static_cast<std::ptrdiff_t>(t) + steps)].push_back(c);
        }
        std::erase_if(list, [&](const Clip& c) { return moving.contains(c.id); });
    }
    for (std::size_t t = 0; t < timeline.tracks.size(); ++t) {
        Track& track = timeline.tracks[t];
        for (const auto& c : arriving[t]) editing::clear_under(timeline, track, c.start, c.end(), {});
        track.clips.insert(track.clips.end(), arriving[t].begin(), arriving[t].end());
        editing::in_order(track);
    }
    return by;
}

void delete_clips(Timeline& timeline, std::span<const int> clips, bool close_gap) {
    const auto all = with_groups(timeline, clips);
    const std::set<int> gone(all.begin(), all.end());
    std::vector<int> tracks;
    std::vector<LoopRange> ranges;
    for (auto& track : timeline.tracks) {
        for (const auto& c : track.clips) {
            if (!gone.contains(c.id)) continue;
            ranges.push_back({c.start, c.end()});
            if (tracks.empty() || tracks.back() != track.id) tracks.push_back(track.id);
        }
        std::erase_if(track.clips, [&](const Clip& c) { return gone.contains(c.id); });
    }
    if (close_gap && !tracks.empty()) cut_time(timeline, ranges, tracks, false);
}

std::vector<int> copy_clips(Timeline& timeline, std::span<const int> clips, std::int64_t at) {
    const auto all = with_groups(timeline, clips);
    const std::set<int> wanted(all.begin(), all.end());
    std::int64_t first = editing::kEver;
    for (const int id : all) {
        if (const Clip* c = timeline.clip(id)) first = std::min(first, c->start);
    }
    editing::NewGroups groups(timeline);
    std::vector<int> ids;
    for (auto& track : timeline.tracks) {
        std::vector<Clip> copies;
        for (const auto& c : track.clips) {
            if (!wanted.contains(c.id)) continue;
            Clip copy = c;
            copy.id = timeline.new_id();
            copy.group = groups.of(c.group);
            copy.start = std::max<std::int64_t>(0, c.start - first + at);
            copies.push_back(copy);
            ids.push_back(copy.id);
        }
        for (const auto& c : copies) editing::clear_under(timeline, track, c.start, c.end(), {});
        track.clips.insert(track.clips.end(), copies.begin(), copies.end());
        editing::in_order(track);
    }
    return ids;
}

void ungroup(Timeline& timeline, std::span<const int> clips) {
    for (const int id : with_groups(timeline, clips)) {
        if (Clip* c = timeline.clip(id)) c->group = 0;
    }
}

void group(Timeline& timeline, std::span<const int> clips) {
    const auto all = with_groups(timeline, clips);
    const int id = timeline.new_id();
    for (const int clip : all) {
        if (Clip* c = timeline.clip(clip)) c->group = id;
    }
}

void set_fade(Timeline& timeline, int clip, bool in, Fade fade) {
    const std::array<int, 1> one = {clip};
    for (const int id : with_groups(timeline, one)) {
        Clip* c = timeline.clip(id);
        if (c == nullptr) continue;
        Fade fitted = fade;
        fitted.frames = std::clamp<std::int64_t>(fade.frames, 0,
                                                 c->length - (in ? c->fade_out.frames : c->fade_in.frames));
        (in ? c->fade_in : c->fade_out) = fitted;
    }
}

bool cross_fade(Timeline& timeline, int earlier, int later, std::int64_t frames, FadeShape shape,
                const MediaLength& length) {
    Clip* a = timeline.clip(earlier);
    Clip* b = timeline.clip(later);
    if (a == nullptr || b == nullptr || a->end() != b->start ||
        timeline.track_of_clip(earlier) != timeline.track_of_clip(later))
        return false;
    const std::int64_t behind = std::min(editing::left_behind(*a, length), frames / 2);
    const std::int64_t before = std::min({b->offset, b->start, frames - behind});
    const std::int64_t overlap = std::min({behind + before, a->length + behind, b->length + before});
    if (overlap < 2) return false;
    a->length += behind;
    b->start -= before;
    b->offset -= before;
    b->length += before;
    a->fade_out = {overlap, shape};
    b->fade_in = {overlap, shape};
    a->fade_in.frames = std::min(a->fade_in.frames, a->length - a->fade_out.frames);
    b->fade_out.frames = std::min(b->fade_out.frames, b->length - b->fade_in.frames);
    editing::in_order(*timeline.track_of_clip(earlier));
    return true;
}

bool same_sound_goes_on(const Clip& earlier, const Clip& later) {
    return earlier.end() == later.start && earlier.path == later.path &&
           earlier.clip_source == later.clip_source && earlier.room_tone == later.room_tone &&
           earlier.offset + earlier.length == later.offset;
}

bool cross_fade_to_next(Timeline& timeline, std::span<const int> clips, const MediaLength& length) {
    bool done = false;
    for (const int id : with_groups(timeline, clips)) {
        const Track* track = timeline.track_of_clip(id);
        if (track == nullptr) continue;
        const Clip& clip = *timeline.clip(id);
        const auto next = std::ranges::find(track->clips, clip.end(), &Clip::start);
        if (next == track->clips.end()) continue;
        const bool same = same_sound_goes_on(clip, *next);
        done |= cross_fade(timeline, id, next->id, timeline.sample_rate / 20,
                           same ? FadeShape::Linear : FadeShape::EqualPower, length);
    }
    return done;
}

void toggle_mute(Timeline& timeline, std::span<const int> clips) {
    const auto sounds = [&](int id) {
        const Clip* clip = timeline.clip(id);
        return clip != nullptr && !clip->mute;
    };
    const bool mute = std::ranges::any_of(clips, sounds);
    for (const int id : clips) {
        if (Clip* clip = timeline.clip(id)) clip->mute = mute;
    }
}

void set_clip_source(Timeline& timeline, std::span<const int> clips, ClipSource plays) {
    for (const int id : clips) {
        Clip* clip = timeline.clip(id);
        if (clip == nullptr) continue;
        clip->clip_source = plays;
        clip->room_tone = clip->room_tone && holds_room_tone(plays);
    }
}

void set_clip_gain(Timeline& timeline, std::span<const int> clips, double gain_db) {
    for (const int id : clips) {
        if (Clip* c = timeline.clip(id)) c->gain_db = std::clamp(gain_db, kLowestGainDb, kHighestGainDb);
    }
}

int replace_clip(Timeline& timeline, int clip, const Placement& with, double gain_db,
                 std::int64_t least_fade) {
    Track* track = timeline.track_of_clip(clip);
    if (track == nullptr) return 0;
    const int track_id = track->id;
    const Clip old = *timeline.clip(clip);
    const std::string name = track->name + " before";
    auto below = std::ranges::find(timeline.tracks, name, &Track::name);
    if (below == timeline.tracks.end()) {
        const int id = add_track(timeline, name);
        const auto from = std::ranges::find(timeline.tracks, track_id, &Track::id) - timeline.tracks.begin();
        timeline.track(id)->bus = timeline.track(track_id)->bus;
        timeline.track(id)->card = timeline.track(track_id)->card;
        move_track(timeline, id, static_cast<int>(from + 2 - std::ssize(timeline.tracks)));
        below = std::ranges::find(timeline.tracks, name, &Track::name);
    }
    std::erase_if(timeline.track(track_id)->clips, [clip](const Clip& c) { return c.id == clip; });
    editing::clear_under(timeline, *below, old.start, old.end(), {});
    below->clips.push_back(old);
    below->clips.back().mute = true;
    editing::in_order(*below);
    Placement placement = with;
    placement.at = old.start;
    placement.length = std::min(with.length, old.length);
    Clip& fresh = editing::put(timeline, *timeline.track(track_id), placement, ClipSource::Whole, 0);
    fresh.gain_db = std::clamp(gain_db, kLowestGainDb, kHighestGainDb);
    fresh.fade_in = {std::max(old.fade_in.frames, least_fade), old.fade_in.shape};
    fresh.fade_out = {std::max(old.fade_out.frames, least_fade), old.fade_out.shape};
    editing::fit_fades(fresh);
    return fresh.id;
}

}  // namespace rivlen
