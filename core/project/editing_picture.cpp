// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/editing.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "core/project/editing_pieces.h"

namespace rivlen {
void split_picture(Timeline& timeline, std::int64_t frame) {
    const auto at = std::ranges::find_if(
        timeline.picture, [frame](const VideoClip& c) { return c.start < frame && frame < c.end(); });
    if (at == timeline.picture.end()) return;
    VideoClip later = editing::piece_of(*at, frame, editing::kEver);
    later.id = timeline.new_id();
    *at = editing::piece_of(*at, 0, frame);
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

}  // namespace rivlen
