// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>

namespace rivlen {

namespace {

constexpr std::int64_t kEver = std::numeric_limits<std::int64_t>::max() / 4;

void in_order(Track& track) {
    std::ranges::stable_sort(track.clips, {}, &Clip::start);
}

void fit_fades(Clip& clip) {
    clip.fade_in.frames = std::clamp<std::int64_t>(clip.fade_in.frames, 0, clip.length);
    clip.fade_out.frames =
        std::clamp<std::int64_t>(clip.fade_out.frames, 0, clip.length - clip.fade_in.frames);
}

// Frames of the recording that lie beyond the clip's end.
std::int64_t left_behind(const Clip& clip, const MediaLength& length) {
    const std::int64_t total = length ? length(clip.path) : 0;
    return total > 0 ? std::max<std::int64_t>(0, total - clip.offset - clip.length) : 0;
}

// The part of a clip or cut that lies in [first, last); it must not be empty.
template <typename Piece>
Piece piece_of(const Piece& whole, std::int64_t first, std::int64_t last) {
    Piece out = whole;
    out.start = std::max(whole.start, first);
    out.offset += out.start - whole.start;
    out.length = std::min(whole.end(), last) - out.start;
    return out;
}
// A cut edge has no fade.
Clip part_of_clip(const Clip& whole, std::int64_t first, std::int64_t last) {
    Clip out = piece_of(whole, first, last);
    if (out.start != whole.start) out.fade_in = {};
    if (out.end() != whole.end()) out.fade_out = {};
    fit_fades(out);
    return out;
}

// Groups of the pieces behind a cut: one new group for each old one.
class NewGroups {
  public:
    explicit NewGroups(Timeline& timeline) : rebuild_(timeline) {}
    int of(int old) {
        if (old == 0) return 0;
        auto [at, fresh] = of_.try_emplace(old, 0);
        if (fresh) at->second = rebuild_.new_id();
        return at->second;
    }

  private:
    Timeline& rebuild_;
    std::map<int, int> of_;
};

void split_where(Timeline& timeline, std::int64_t frame,
                 const std::function<bool(const Track&, const Clip&)>& wanted) {
    NewGroups groups(timeline);
    for (auto& track : timeline.tracks) {
        std::vector<Clip> behind;
        for (auto& clip : track.clips) {
            if (frame <= clip.start || frame >= clip.end() || !wanted(track, clip)) continue;
            Clip later = part_of_clip(clip, frame, kEver);
            later.id = timeline.new_id();
            later.group = groups.of(clip.group);
            clip = part_of_clip(clip, 0, frame);
            behind.push_back(std::move(later));
        }
        track.clips.insert(track.clips.end(), behind.begin(), behind.end());
        in_order(track);
    }
}

// Cuts away what lies in [first, last) of clips that `keep` does not name.
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

Track& track_for(Timeline& timeline, ClipSource clip_source, const std::string& name) {
    for (auto& track : timeline.tracks) {
        if (track.name == name && std::ranges::all_of(track.clips, [clip_source](const Clip& c) {
                return c.clip_source == clip_source;
            }))
            return track;
    }
    return *timeline.track(add_track(timeline, name));
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

const std::array<const char*, kStems> kStemTrackNames = {"Dialogue", "Reverb", "Music", "Ambience"};

}  // namespace

namespace {

// There is what the line moves.
bool fits(const Strip& strip, const StripLane& line) {
    if (line.target != LaneTarget::Part) return true;
    const auto part = std::ranges::find(strip.chain, line.part, &Insert::id);
    return part != strip.chain.end() && line.parameter >= 0 &&
           static_cast<std::size_t>(line.parameter) < info(part->kind).parameters.size();
}

}  // namespace

bool well_formed(const Timeline& r) {
    std::set<int> ids;
    const auto fresh = [&](int id) { return id > 0 && id < r.next_id && ids.insert(id).second; };
    const auto sound = [&](const Strip& strip) {
        return std::ranges::all_of(strip.chain, [&](const Insert& part) { return fresh(part.id); }) &&
               std::ranges::all_of(strip.lines, [&](const StripLane& line) { return fits(strip, line); });
    };
    if (!r.tracks.empty() && r.buses.empty()) return false;
    for (const auto& bus : r.buses) {
        if (!fresh(bus.id) || !sound(bus.strip)) return false;
    }
    for (const auto& track : r.tracks) {
        if (!fresh(track.id) || std::ranges::find(r.buses, track.bus, &Bus::id) == r.buses.end())
            return false;
        if (!std::ranges::is_sorted(track.clips, {}, &Clip::start)) return false;
        if (!sound(track.strip)) return false;
        if (track.ducking.key_track != 0 && r.track(track.ducking.key_track) == nullptr) return false;
        for (const auto& c : track.clips) {
            if (!fresh(c.id) || c.start < 0 || c.length < 1 || c.offset < 0 || c.fade_in.frames < 0 ||
                c.fade_out.frames < 0 || c.fade_in.frames + c.fade_out.frames > c.length)
                return false;
        }
    }
    return std::ranges::all_of(
        r.picture, [&](const VideoClip& c) { return fresh(c.id) && c.start >= 0 && c.length > 0; });
}

void normalise(Timeline& r) {
    int highest = 0;
    // Ids that no session of ours reaches are replaced below, so that new ones never run out.
    constexpr int kHighestId = 900'000'000;
    const auto seen = [&](int id) {
        if (id <= kHighestId) highest = std::max(highest, id);
    };
    for (const auto& b : r.buses) seen(b.id);
    for (const auto& t : r.tracks) {
        seen(t.id);
        for (const auto& c : t.clips) seen(std::max(c.id, c.group));
        for (const auto& p : t.strip.chain) seen(p.id);
    }
    for (const auto& b : r.buses) {
        for (const auto& p : b.strip.chain) seen(p.id);
    }
    for (const auto& p : r.picture) seen(p.id);
    r.next_id = std::clamp(r.next_id, highest + 1, kHighestId);
    std::set<int> ids;
    const auto unique = [&](int& id) {
        if (id <= 0 || id > kHighestId || !ids.insert(id).second) {
            id = r.new_id();
            ids.insert(id);
        }
    };
    // A line belongs to the first of two parts that shared an id.
    const auto unique_parts = [&](Strip& strip) {
        for (auto& part : strip.chain) unique(part.id);
        std::erase_if(strip.lines, [&](const StripLane& line) { return !fits(strip, line); });
    };
    for (auto& b : r.buses) unique(b.id);
    if (!r.tracks.empty() && r.buses.empty()) r.buses.push_back({r.new_id(), "Main", {}});
    for (auto& t : r.tracks) unique(t.id);
    for (auto& t : r.tracks) {
        if (std::ranges::find(r.buses, t.bus, &Bus::id) == r.buses.end()) t.bus = r.main_bus();
        if (r.track(t.ducking.key_track) == nullptr || t.ducking.key_track == t.id) t.ducking.key_track = 0;
        std::erase_if(t.clips, [](const Clip& c) { return c.length < 1 || c.start < 0 || c.offset < 0; });
        for (auto& c : t.clips) {
            unique(c.id);
            fit_fades(c);
        }
        in_order(t);
        unique_parts(t.strip);
    }
    for (auto& b : r.buses) unique_parts(b.strip);
    std::erase_if(r.picture, [](const VideoClip& c) { return c.length < 1 || c.start < 0 || c.offset < 0; });
    for (auto& c : r.picture) unique(c.id);
    std::ranges::stable_sort(r.picture, {}, &VideoClip::start);
}

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

int add_track(Timeline& timeline, const std::string& name) {
    if (timeline.buses.empty()) timeline.buses.push_back({timeline.new_id(), "Main", {}});
    Track track;
    track.id = timeline.new_id();
    track.name = name;
    track.bus = timeline.main_bus();
    timeline.tracks.push_back(track);
    return track.id;
}

void remove_track(Timeline& timeline, int track_id) {
    std::erase_if(timeline.tracks, [track_id](const Track& t) { return t.id == track_id; });
    for (auto& t : timeline.tracks) {
        if (t.ducking.key_track == track_id) t.ducking.key_track = 0;
    }
}

void move_track(Timeline& timeline, int track_id, int by) {
    const auto at = std::ranges::find(timeline.tracks, track_id, &Track::id);
    if (at == timeline.tracks.end()) return;
    const auto from = at - timeline.tracks.begin();
    const auto to = std::clamp<std::ptrdiff_t>(from + by, 0, std::ssize(timeline.tracks) - 1);
    Track track = std::move(*at);
    timeline.tracks.erase(at);
    timeline.tracks.insert(timeline.tracks.begin() + to, std::move(track));
}

int add_bus(Timeline& timeline, const std::string& name) {
    if (timeline.buses.empty()) timeline.buses.push_back({timeline.new_id(), "Main", {}});
    timeline.buses.push_back({timeline.new_id(), name, {}});
    return timeline.buses.back().id;
}

void remove_bus(Timeline& timeline, int bus_id) {
    if (bus_id == timeline.main_bus()) return;
    std::erase_if(timeline.buses, [bus_id](const Bus& b) { return b.id == bus_id; });
    for (auto& t : timeline.tracks) {
        if (t.bus == bus_id) t.bus = timeline.main_bus();
    }
}

std::vector<int> place_stems(Timeline& timeline, const Placement& placement) {
    const int group_id = placement.grouped ? timeline.new_id() : 0;
    std::vector<int> ids;
    for (std::size_t s = 0; s < kStems; ++s) {
        const std::string name =
            placement.name.empty() ? kStemTrackNames[s] : placement.name + " " + kStemTrackNames[s];
        const ClipSource clip_source = clip_source_of_stem(s);
        ids.push_back(
            put(timeline, track_for(timeline, clip_source, name), placement, clip_source, group_id).id);
    }
    if (placement.picture) {
        timeline.picture.push_back({timeline.new_id(), placement.path,
                                    std::max<std::int64_t>(0, placement.at), 0,
                                    std::max<std::int64_t>(1, placement.length)});
        std::ranges::stable_sort(timeline.picture, {}, &VideoClip::start);
    }
    return ids;
}

void adopt_recording(Timeline& timeline, int sample_rate, const std::optional<PictureStreamInfo>& picture) {
    if (timeline.sample_rate != 0) return;
    constexpr int kUsualRate = 48000;
    const bool usual = std::ranges::find(kSessionRates, sample_rate) != kSessionRates.end();
    timeline.sample_rate = usual ? sample_rate : kUsualRate;
    if (!picture || picture->frame_rate_num <= 0) return;
    timeline.frame_rate = {picture->frame_rate_num, picture->frame_rate_den};
    timeline.drop_frame = picture->timecode.find(';') != std::string::npos && timeline.frame_rate.may_drop();
    timeline.first_timecode_frame = parse_timecode(picture->timecode, timeline.frame_rate).value_or(0);
}

int place_clip(Timeline& timeline, const Placement& placement, ClipSource clip_source, int track_id) {
    if (timeline.track(track_id) == nullptr)
        track_id =
            add_track(timeline, placement.name.empty() ? placement.path.stem().string() : placement.name);
    return put(timeline, *timeline.track(track_id), placement, clip_source, 0).id;
}

void split_clips(Timeline& timeline, std::span<const int> clips, std::int64_t frame) {
    const auto all = with_groups(timeline, clips);
    split_where(timeline, frame,
                [&](const Track&, const Clip& c) { return std::ranges::find(all, c.id) != all.end(); });
}

void split_tracks(Timeline& timeline, std::span<const int> tracks, std::int64_t frame) {
    split_where(timeline, frame, [&](const Track& t, const Clip&) { return chosen(tracks, t.id); });
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
        fit_fades(c);
        in_order(*timeline.track_of_clip(id));
    }
}

void trim_end(Timeline& timeline, int clip, std::int64_t by, const MediaLength& length) {
    const std::array<int, 1> one = {clip};
    const auto all = with_groups(timeline, one);
    for (const int id : all) {
        const Clip& c = *timeline.clip(id);
        by = std::clamp(by, 1 - c.length, left_behind(c, length));
    }
    for (const int id : all) {
        Clip& c = *timeline.clip(id);
        c.length += by;
        fit_fades(c);
    }
}

void slip(Timeline& timeline, int clip, std::int64_t by, const MediaLength& length) {
    const std::array<int, 1> one = {clip};
    const auto all = with_groups(timeline, one);
    for (const int id : all) {
        const Clip& c = *timeline.clip(id);
        by = std::clamp(by, -c.offset, left_behind(c, length));
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
        for (const auto& c : arriving[t]) clear_under(timeline, track, c.start, c.end(), {});
        track.clips.insert(track.clips.end(), arriving[t].begin(), arriving[t].end());
        in_order(track);
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
    std::int64_t first = kEver;
    for (const int id : all) {
        if (const Clip* c = timeline.clip(id)) first = std::min(first, c->start);
    }
    NewGroups groups(timeline);
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
        for (const auto& c : copies) clear_under(timeline, track, c.start, c.end(), {});
        track.clips.insert(track.clips.end(), copies.begin(), copies.end());
        in_order(track);
    }
    return ids;
}

void cut_time(Timeline& timeline, std::span<const LoopRange> ranges, std::span<const int> tracks,
              bool picture) {
    const auto in_time = merged(ranges);
    for (auto range = in_time.rbegin(); range != in_time.rend();
         ++range) {  // from the last on: frames stay valid
        const std::int64_t gone = range->last - range->first;
        split_tracks(timeline, tracks, range->first);
        split_tracks(timeline, tracks, range->last);
        for (auto& track : timeline.tracks) {
            if (!chosen(tracks, track.id)) continue;
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
            if (!chosen(tracks, track.id)) continue;
            for (auto& c : track.clips) {
                if (c.start >= range.first && c.end() <= range.last) c.mute = true;
            }
        }
    }
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
    const std::int64_t behind = std::min(left_behind(*a, length), frames / 2);
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
    in_order(*timeline.track_of_clip(earlier));
    return true;
}

bool cross_fade_to_next(Timeline& timeline, std::span<const int> clips, const MediaLength& length) {
    bool done = false;
    for (const int id : with_groups(timeline, clips)) {
        const Track* track = timeline.track_of_clip(id);
        if (track == nullptr) continue;
        const Clip& clip = *timeline.clip(id);
        const auto next = std::ranges::find(track->clips, clip.end(), &Clip::start);
        if (next == track->clips.end()) continue;
        const bool same = next->path == clip.path && next->offset - clip.offset == next->start - clip.start;
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

void remove_part(Strip& strip, int part) {
    std::erase_if(strip.chain, [part](const Insert& p) { return p.id == part; });
    std::erase_if(strip.lines, [part](const StripLane& line) {
        return line.target == LaneTarget::Part && line.part == part;
    });
}

void take_chain(Timeline& timeline, int strip_id, const std::vector<Insert>& parts) {
    Strip* strip = timeline.strip(strip_id);
    if (strip == nullptr) return;
    std::erase_if(strip->lines, [](const StripLane& line) { return line.target == LaneTarget::Part; });
    strip->chain = parts;
    for (auto& part : strip->chain) part.id = timeline.new_id();
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
    clear_under(timeline, *below, old.start, old.end(), {});
    below->clips.push_back(old);
    below->clips.back().mute = true;
    in_order(*below);
    Placement placement = with;
    placement.at = old.start;
    placement.length = std::min(with.length, old.length);
    Clip& fresh = put(timeline, *timeline.track(track_id), placement, ClipSource::Whole, 0);
    fresh.gain_db = std::clamp(gain_db, kLowestGainDb, kHighestGainDb);
    fresh.fade_in = {std::max(old.fade_in.frames, least_fade), old.fade_in.shape};
    fresh.fade_out = {std::max(old.fade_out.frames, least_fade), old.fade_out.shape};
    fit_fades(fresh);
    return fresh.id;
}

void split_picture(Timeline& timeline, std::int64_t frame) {
    const auto at = std::ranges::find_if(
        timeline.picture, [frame](const VideoClip& c) { return c.start < frame && frame < c.end(); });
    if (at == timeline.picture.end()) return;
    VideoClip later = piece_of(*at, frame, kEver);
    later.id = timeline.new_id();
    *at = piece_of(*at, 0, frame);
    timeline.picture.insert(at + 1, later);
}

void delete_picture(Timeline& timeline, int cut, bool close_gap) {
    const auto at = std::ranges::find(timeline.picture, cut, &VideoClip::id);
    if (at == timeline.picture.end()) return;
    const VideoClip gone = *at;
    timeline.picture.erase(at);
    if (!close_gap) return;
    for (auto& c : timeline.picture) {
        if (c.start >= gone.end()) c.start -= gone.length;
    }
}

const VideoClip* picture_at(const Timeline& timeline, std::int64_t frame) {
    const auto at = std::ranges::find_if(
        timeline.picture, [frame](const VideoClip& c) { return c.start <= frame && frame < c.end(); });
    return at != timeline.picture.end() ? &*at : nullptr;
}

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
