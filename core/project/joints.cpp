// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/joints.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "core/project/editing_pieces.h"

namespace rivlen {

namespace {

bool sounds(const Clip& clip) {
    return !clip.mute && clip.gain_db > kLowestGainDb;
}

class Joints {
  public:
    Joints(const Timeline& timeline, const MediaLength& length, const Likeness& likeness)
        : edge_(frames_of(timeline, timeline.edge_fade_ms)),
          half_joint_(frames_of(timeline, timeline.joint_fade_ms) / 2),
          length_(length),
          likeness_(likeness) {}

    // earlier: the clip that ends where this one begins; null where there is none.
    void begin(PlayedClip& here, PlayedClip* earlier) const {
        if (here.clip.fade_in.frames > 0) return;
        if (earlier != nullptr && plays_on(earlier->clip, here.clip)) return;
        if (earlier != nullptr && earlier->clip.fade_out.frames == 0 && join(earlier->clip, here.clip))
            return;
        if (here.clip.offset > 0 || here.clip.room_tone)
            here.clip.fade_in = {free_edge(here.clip), FadeShape::Linear};
    }
    // later: the clip that begins where this one ends.
    void end(PlayedClip& here, const PlayedClip* later) const {
        if (here.clip.fade_out.frames > 0) return;
        if (later != nullptr && plays_on(here.clip, later->clip)) return;
        const std::int64_t total = length_ ? length_(here.clip.path) : 0;
        const bool natural =
            total > 0 && here.clip.offset + here.clip.length >= total && !here.clip.room_tone;
        if (!natural) here.clip.fade_out = {free_edge(here.clip), FadeShape::Linear};
    }

  private:
    static std::int64_t frames_of(const Timeline& timeline, double ms) {
        return std::llround(ms / 1000 * timeline.sample_rate);
    }
    [[nodiscard]] std::int64_t free_edge(const Clip& clip) const { return std::min(edge_, clip.length / 2); }
    // Material in front of a clip; of room tone there is always more.
    [[nodiscard]] std::int64_t before(const Clip& clip) const {
        return clip.room_tone ? half_joint_ : std::min(half_joint_, clip.offset);
    }
    bool join(Clip& earlier, Clip& later) const {
        const std::int64_t most = std::min(earlier.length, later.length) / 4;
        const std::int64_t right = std::min({half_joint_, editing::left_behind(earlier, length_), most});
        const std::int64_t left = std::min({before(later), later.start, most});
        const std::int64_t overlap = left + right;
        if (overlap < 2) return false;
        const bool alike = likeness_ && likeness_(earlier, later) > kAlike;
        const Fade fade{overlap, alike ? FadeShape::Linear : FadeShape::EqualPower};
        earlier.length += right;
        later.start -= left;
        later.offset -= left;
        later.length += left;
        earlier.fade_out = fade;
        later.fade_in = fade;
        return true;
    }

    std::int64_t edge_, half_joint_;
    const MediaLength& length_;
    const Likeness& likeness_;
};

}  // namespace

bool plays_on(const Clip& earlier, const Clip& later) {
    return same_sound_goes_on(earlier, later) && earlier.card == later.card &&
           earlier.gain_db == later.gain_db;
}

std::vector<PlayedClip> played_clips(const Timeline& timeline, const Track& track, const MediaLength& length,
                                     const Likeness& likeness) {
    std::vector<PlayedClip> out;
    std::unordered_map<std::int64_t, std::size_t> ending, beginning;  // at a frame of the session
    for (std::size_t i = 0; i < track.clips.size(); ++i) {
        const Clip& clip = track.clips[i];
        if (!sounds(clip)) continue;
        ending.try_emplace(clip.end(), out.size());
        beginning.try_emplace(clip.start, out.size());
        out.push_back({clip, i});
    }
    const Joints joints(timeline, length, likeness);
    // What touches what is looked up by the clips as they are, before any of them grows.
    const auto at = [&out](const auto& map, std::int64_t frame) {
        const auto found = map.find(frame);
        return found != map.end() ? &out[found->second] : nullptr;
    };
    for (auto& here : out) joints.begin(here, at(ending, track.clips[here.from].start));
    for (auto& here : out) joints.end(here, at(beginning, track.clips[here.from].end()));
    std::ranges::stable_sort(out, {}, [](const PlayedClip& p) { return p.clip.start; });
    return out;
}

}  // namespace rivlen
