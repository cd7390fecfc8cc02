// SPDX-License-Identifier: GPL-3.0-or-later
// Music in its plainest forms, made by rule, so that what tells it from machines is learned: held and
// changing chords, melodies, bass lines, drums. Chords and scales are tempered; notes begin and end.
#pragma once

#include "learn/rooms.h"
#include "learn/world/sound.h"

namespace rivlen::learn {

[[nodiscard]] Stereo synthesise_music(std::size_t frames, Rng& rng);

}  // namespace rivlen::learn
