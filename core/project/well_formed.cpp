// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>
#include <set>

#include "core/project/editing_pieces.h"

namespace rivlen {
namespace {

// There is what the line moves.
bool fits(const Strip& strip, const StripLane& line) {
    if (line.target == LaneTarget::Send) return strip.send_to(line.part) != nullptr;
    if (line.target != LaneTarget::Part) return true;
    const auto part = std::ranges::find(strip.chain, line.part, &Insert::id);
    return part != strip.chain.end() && line.parameter >= 0 &&
           static_cast<std::size_t>(line.parameter) < info(part->kind).parameters.size();
}

// The main bus is reached from every bus: so no bus reaches itself.
bool reaches_main(const Timeline& r, const Bus& bus) {
    int id = bus.id;
    for (std::size_t steps = 0; steps < r.buses.size(); ++steps) {
        if (id == r.main_bus()) return true;
        const auto here = std::ranges::find(r.buses, id, &Bus::id);
        if (here == r.buses.end()) return false;
        id = here->bus;
    }
    return false;
}

bool sends_fit(const Timeline& r, const Strip& strip) {
    return std::ranges::all_of(strip.sends, [&](const Send& send) {
        return std::ranges::count(strip.sends, send.bus, &Send::bus) == 1 && r.has_bus(send.bus);
    });
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
        if (bus.layout == Layout::Mono || !fresh(bus.id) || !sound(bus.strip) || !bus.strip.sends.empty() ||
            !reaches_main(r, bus))
            return false;
    }
    for (const auto& track : r.tracks) {
        if (!fresh(track.id) || !r.has_bus(track.bus)) return false;
        if (!std::ranges::is_sorted(track.clips, {}, &Clip::start)) return false;
        if (!sound(track.strip) || !sends_fit(r, track.strip)) return false;
        if (std::ranges::any_of(track.ducking.key_tracks, [&](int key) { return r.track(key) == nullptr; }))
            return false;
        for (const auto& c : track.clips) {
            if (!fresh(c.id) || c.start < 0 || c.length < 1 || c.offset < 0 || c.fade_in.frames < 0 ||
                c.fade_out.frames < 0 || c.fade_in.frames + c.fade_out.frames > c.length)
                return false;
        }
    }
    if (std::ranges::adjacent_find(r.markers, std::ranges::greater_equal(), &Marker::frame) !=
            r.markers.end() ||
        !std::ranges::all_of(r.markers, [&](const Marker& m) { return fresh(m.id) && m.frame >= 0; }))
        return false;
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
    for (const auto& m : r.markers) seen(m.id);
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
    for (auto& m : r.markers) unique(m.id);
    if (!r.tracks.empty() && r.buses.empty()) r.buses.push_back({r.new_id(), "Main", {}, 0});
    for (auto& t : r.tracks) unique(t.id);
    for (auto& b : r.buses) {
        b.strip.sends.clear();
        if (b.id == r.main_bus()) b.bus = 0;
        if (b.layout == Layout::Mono) b.layout = Layout::Stereo;
    }
    for (auto& b : r.buses) {
        if (!reaches_main(r, b)) b.bus = r.main_bus();
    }
    for (auto& t : r.tracks) {
        if (!r.has_bus(t.bus)) t.bus = r.main_bus();
        std::vector<Send> sends;
        for (const auto& send : t.strip.sends) {
            if (r.has_bus(send.bus) && std::ranges::find(sends, send.bus, &Send::bus) == sends.end())
                sends.push_back(send);
        }
        t.strip.sends = std::move(sends);
        std::erase_if(t.ducking.key_tracks, [&](int key) { return r.track(key) == nullptr || key == t.id; });
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
