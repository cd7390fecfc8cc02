// SPDX-License-Identifier: GPL-3.0-or-later
// What becomes of the edges of clips on which no fade was set, so that no edit clicks. Nothing of it is
// stored: it follows from how the clips lie, and goes when an edit is taken back.
//
// An edge at which the same sound goes on is left alone, and so is the beginning and the end of a recording.
// Where other sound begins at once, the two cross-fade over Timeline::joint_fade_ms; every other edge fades
// over Timeline::edge_fade_ms.
#pragma once

#include <functional>
#include <vector>

#include "core/project/editing.h"

namespace rivlen {

// How alike what two clips play around their joint is: the normalised correlation, -1 to 1.
using Likeness = std::function<double(const Clip& earlier, const Clip& later)>;
// From here on a cross-fade is straight, else of equal power: halfway between sounds whose amplitudes add up
// and sounds whose powers do.
inline constexpr double kAlike = 0.5;

struct PlayedClip {
    Clip clip;             // with its fades, and longer where it cross-fades
    std::size_t from = 0;  // which of the track's clips
};
// The clips of a track that sound, in order of start. likeness: equal power everywhere where there is none.
[[nodiscard]] std::vector<PlayedClip> played_clips(const Timeline& timeline, const Track& track,
                                                   const MediaLength& length, const Likeness& likeness = {});
// True when the later of two clips that touch plays on what the earlier played, with the same level and
// settings.
[[nodiscard]] bool plays_on(const Clip& earlier, const Clip& later);

}  // namespace rivlen
