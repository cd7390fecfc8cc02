// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "core/project/editing_pieces.h"

namespace rivlen {
namespace {

Track& track_for(Timeline& timeline, ClipSource clip_source, const std::string& name) {
    for (auto& track : timeline.tracks) {
        if (track.name == name && std::ranges::all_of(track.clips, [clip_source](const Clip& c) {
                return c.clip_source == clip_source;
            }))
            return track;
    }
    return *timeline.track(add_track(timeline, name));
}

constexpr std::array<const char*, kSounds> kTrackNames = {"Dialogue", "Reverb", "Music", "Ambience",
                                                          "Voices",   "Drums",  "Bass",  "Rest of the music"};

// The track for a part of what another one plays: one of the name that plays nothing else, or a new one at a
// place, set as the other is. What goes by the other, as ducking does, goes by it, too.
Track& track_for_part(Timeline& timeline, int track_id, ClipSource plays, const std::string& name,
                      std::size_t place) {
    const std::size_t before = timeline.tracks.size();
    const int id = track_for(timeline, plays, name).id;
    if (timeline.tracks.size() == before) return *timeline.track(id);
    Track part = *timeline.track(track_id);
    const std::vector<Insert> chain = std::exchange(part.strip.chain, {});
    std::erase_if(part.strip.lines, [](const StripLane& l) { return l.target == LaneTarget::Part; });
    part.id = id;
    part.name = name;
    part.clips.clear();
    timeline.tracks.back() = std::move(part);
    take_chain(timeline, id, chain);
    for (auto& other : timeline.tracks) {
        if (other.ducking.has_key(track_id)) other.ducking.key_tracks.push_back(id);
    }
    const auto last = timeline.tracks.end() - 1;
    std::rotate(std::min(timeline.tracks.begin() + static_cast<std::ptrdiff_t>(place), last), last,
                timeline.tracks.end());
    return *timeline.track(id);
}

}  // namespace

int add_track(Timeline& timeline, const std::string& name) {
    if (timeline.buses.empty()) timeline.buses.push_back({timeline.new_id(), "Main", {}, 0});
    Track track;
    track.id = timeline.new_id();
    track.name = name;
    track.bus = timeline.main_bus();
    timeline.tracks.push_back(track);
    return track.id;
}

void remove_track(Timeline& timeline, int track_id) {
    std::erase_if(timeline.tracks, [track_id](const Track& t) { return t.id == track_id; });
    for (auto& t : timeline.tracks) std::erase(t.ducking.key_tracks, track_id);
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
    if (timeline.buses.empty()) timeline.buses.push_back({timeline.new_id(), "Main", {}, 0});
    timeline.buses.push_back({timeline.new_id(), name, {}, timeline.main_bus(), timeline.main_layout()});
    return timeline.buses.back().id;
}

void set_layout(Timeline& timeline, int strip_id, Layout layout) {
    if (Track* t = timeline.track(strip_id)) {
        t->layout = layout;
        return;
    }
    if (layout == Layout::Mono || !timeline.has_bus(strip_id)) return;
    const Layout before = timeline.layout_of(strip_id);
    for (auto& bus : timeline.buses) {
        if (bus.id == strip_id || (strip_id == timeline.main_bus() && bus.layout == before))
            bus.layout = layout;
    }
}

void remove_bus(Timeline& timeline, int bus_id) {
    if (bus_id == timeline.main_bus()) return;
    const auto here = std::ranges::find(timeline.buses, bus_id, &Bus::id);
    if (here == timeline.buses.end()) return;
    const int next = here->bus;
    timeline.buses.erase(here);
    for (auto& b : timeline.buses) {
        if (b.bus == bus_id) b.bus = next;
    }
    for (auto& t : timeline.tracks) {
        if (t.bus == bus_id) t.bus = next;
        remove_send(t.strip, bus_id);
    }
}

bool may_go_to(const Timeline& timeline, int bus_id, int to_bus) {
    if (bus_id == timeline.main_bus() || !timeline.has_bus(bus_id)) return false;
    // On the way from there to the main bus it does not come by itself.
    for (int id = to_bus; id != timeline.main_bus();) {
        const auto here = std::ranges::find(timeline.buses, id, &Bus::id);
        if (id == bus_id || here == timeline.buses.end()) return false;
        id = here->bus;
    }
    return true;
}

void route_bus(Timeline& timeline, int bus_id, int to_bus) {
    if (!may_go_to(timeline, bus_id, to_bus)) return;
    std::ranges::find(timeline.buses, bus_id, &Bus::id)->bus = to_bus;
}

void add_send(Timeline& timeline, int track_id, int bus_id) {
    Track* track = timeline.track(track_id);
    if (track == nullptr || !timeline.has_bus(bus_id) || track->strip.send_to(bus_id) != nullptr) return;
    track->strip.sends.push_back({bus_id, 0, false, true});
}

void remove_send(Strip& strip, int bus_id) {
    std::erase_if(strip.sends, [bus_id](const Send& send) { return send.bus == bus_id; });
    std::erase_if(strip.lines, [bus_id](const StripLane& line) {
        return line.target == LaneTarget::Send && line.part == bus_id;
    });
}

std::vector<int> place_stems(Timeline& timeline, const Placement& placement) {
    const int group_id = placement.grouped ? timeline.new_id() : 0;
    std::vector<int> ids;
    for (std::size_t s = 0; s < kStems; ++s) {
        const std::string name =
            placement.name.empty() ? kTrackNames[s] : placement.name + " " + kTrackNames[s];
        const ClipSource clip_source = clip_source_of_sound(s);
        ids.push_back(
            editing::put(timeline, track_for(timeline, clip_source, name), placement, clip_source, group_id)
                .id);
    }
    if (placement.picture) {
        timeline.picture.push_back({timeline.new_id(), placement.path,
                                    std::max<std::int64_t>(0, placement.at), 0,
                                    std::max<std::int64_t>(1, placement.length)});
        std::ranges::stable_sort(timeline.picture, {}, &VideoClip::start);
    }
    return ids;
}

std::vector<int> open_music_clips(Timeline& timeline, std::span<const int> clips) {
    std::vector<int> opened;
    for (const int id : clips) {
        const Clip* found = timeline.clip(id);
        if (found == nullptr || found->clip_source != ClipSource::Music) continue;
        const Clip music = *found;
        const int track_id = timeline.track_of_clip(id)->id;
        const int group = music.group != 0 ? music.group : timeline.new_id();
        auto place = static_cast<std::size_t>(timeline.track_of_clip(id) - timeline.tracks.data());
        for (std::size_t s = kStems; s < kSounds; ++s) {
            Clip part = music;
            part.id = timeline.new_id();
            part.clip_source = clip_source_of_sound(s);
            part.group = group;
            Track& to = track_for_part(timeline, track_id, part.clip_source, kTrackNames[s], ++place);
            editing::clear_under(timeline, to, part.start, part.end(), {});
            to.clips.push_back(part);
            editing::in_order(to);
            opened.push_back(part.id);
        }
        std::erase_if(timeline.track(track_id)->clips, [id](const Clip& c) { return c.id == id; });
    }
    return opened;
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
    return editing::put(timeline, *timeline.track(track_id), placement, clip_source, 0).id;
}

void move_part(Strip& strip, int part, int place) {
    const Insert* here = strip.part(part);
    if (here == nullptr) return;
    Insert moved = *here;
    strip.chain.erase(strip.chain.begin() + (here - strip.chain.data()));
    const auto to = std::clamp<std::ptrdiff_t>(place, 0, std::ssize(strip.chain));
    strip.chain.insert(strip.chain.begin() + to, std::move(moved));
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

}  // namespace rivlen
