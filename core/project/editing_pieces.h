// SPDX-License-Identifier: GPL-3.0-or-later
// What the edits of a timeline and its joints share. Included by core/project/editing_*.cpp and joints.cpp
// only.
#pragma once

#include <cstdint>
#include <limits>
#include <map>
#include <set>
#include <span>

#include "core/project/editing.h"

namespace rivlen::editing {

inline constexpr std::int64_t kEver = std::numeric_limits<std::int64_t>::max() / 4;

void in_order(Track& track);
void fit_fades(Clip& clip);

// Frames that a clip could still play behind its end; of room tone there is always more, of a recording whose
// length is not known nothing.
[[nodiscard]] std::int64_t left_behind(const Clip& clip, const MediaLength& length);

// The part of a clip or cut that lies in [first, last); it must not be empty.
template <typename Piece>
Piece piece_of(const Piece& whole, std::int64_t first, std::int64_t last) {
    Piece out = whole;
    out.start = std::max(whole.start, first);
    out.offset += out.start - whole.start;
    out.length = std::min(whole.end(), last) - out.start;
    return out;
}
// The same of a clip; a cut edge has no fade.
[[nodiscard]] Clip part_of_clip(const Clip& whole, std::int64_t first, std::int64_t last);

// Cuts away what lies in [first, last) of clips that `keep` does not name.
void clear_under(Timeline& timeline, Track& track, std::int64_t first, std::int64_t last,
                 const std::set<int>& keep);

// An empty list of tracks means all of them.
[[nodiscard]] bool chosen(std::span<const int> tracks, int id);

// A new clip on a track, over what is there.
Clip& put(Timeline& timeline, Track& track, const Placement& placement, ClipSource clip_source, int group_id);

// Groups of the pieces behind a cut: one new group for each old one.
class NewGroups {
  public:
    explicit NewGroups(Timeline& timeline) : timeline_(timeline) {}
    int of(int old) {
        if (old == 0) return 0;
        auto [at, fresh] = of_.try_emplace(old, 0);
        if (fresh) at->second = timeline_.new_id();
        return at->second;
    }

  private:
    Timeline& timeline_;
    std::map<int, int> of_;
};

}  // namespace rivlen::editing
