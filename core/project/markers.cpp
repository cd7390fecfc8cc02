// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/markers.h"

#include <fmt/format.h>

#include <algorithm>

namespace rivlen {

namespace {

std::string free_number(const Timeline& timeline) {
    for (int n = 1;; ++n) {
        const std::string name = fmt::format("{}", n);
        if (std::ranges::find(timeline.markers, name, &Marker::name) == timeline.markers.end()) return name;
    }
}

}  // namespace

void put_in_order(std::vector<Marker>& markers) {
    std::ranges::stable_sort(markers, {}, &Marker::frame);
    const auto same_frame = [](const Marker& a, const Marker& b) { return a.frame == b.frame; };
    markers.erase(std::unique(markers.begin(), markers.end(), same_frame), markers.end());
}

int toggle_marker(Timeline& timeline, std::int64_t frame) {
    if (std::erase_if(timeline.markers, [frame](const Marker& m) { return m.frame == frame; }) > 0) return 0;
    Marker marker{timeline.new_id(), std::max<std::int64_t>(0, frame), free_number(timeline)};
    timeline.markers.push_back(std::move(marker));
    const int id = timeline.markers.back().id;
    put_in_order(timeline.markers);
    return id;
}

void move_marker(Timeline& timeline, int id, std::int64_t frame) {
    const auto moved = std::ranges::find(timeline.markers, id, &Marker::id);
    if (moved == timeline.markers.end()) return;
    moved->frame = std::max<std::int64_t>(0, frame);
    const std::int64_t at = moved->frame;
    std::erase_if(timeline.markers, [&](const Marker& m) { return m.frame == at && m.id != id; });
    put_in_order(timeline.markers);
}

void rename_marker(Timeline& timeline, int id, const std::string& name) {
    const auto marker = std::ranges::find(timeline.markers, id, &Marker::id);
    if (marker != timeline.markers.end()) marker->name = name;
}

const Marker* next_marker(const Timeline& timeline, std::int64_t frame) {
    const auto found = std::ranges::upper_bound(timeline.markers, frame, {}, &Marker::frame);
    return found != timeline.markers.end() ? &*found : nullptr;
}

const Marker* previous_marker(const Timeline& timeline, std::int64_t frame) {
    const auto found = std::ranges::lower_bound(timeline.markers, frame, {}, &Marker::frame);
    return found != timeline.markers.begin() ? &*std::prev(found) : nullptr;
}

}  // namespace rivlen
