// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>
#include <set>

#include "core/project/editing_pieces.h"

namespace rivlen {
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
            editing::fit_fades(c);
        }
        editing::in_order(t);
        unique_parts(t.strip);
    }
    for (auto& b : r.buses) unique_parts(b.strip);
    std::erase_if(r.picture, [](const VideoClip& c) { return c.length < 1 || c.start < 0 || c.offset < 0; });
    for (auto& c : r.picture) unique(c.id);
    std::ranges::stable_sort(r.picture, {}, &VideoClip::start);
}

}  // namespace rivlen
