// SPDX-License-Identifier: GPL-3.0-or-later
// Scores by people: standard MIDI files (formats 0 and 1 with ticks a beat; MIDI Manufacturers Association,
// "Standard MIDI Files 1.0") as lines of players.
#pragma once

#include <filesystem>

#include "core/base/result.h"
#include "learn/songs/score.h"

namespace rivlen::learn {

// A line for every instrument of every channel. Channel 10 are the drums, the basses of General MIDI (33 to
// 40) the bass, its choirs (53 to 55) voices, all else the rest. Level and pan are those at a line's first
// note; bends are left out. The tune is empty. Errors: NotFound, Io; BadInput (no such file, or damaged).
[[nodiscard]] Result<Score> read_midi(const std::filesystem::path& file);

// Gives the tune of a score to who sings: of the lines of single notes that are no drums or bass, the
// highest. Its line goes; nothing where there is no such line.
void sing_the_tune(Score& score);

// What of a score sounds from a second on: notes that have begun before go on.
[[nodiscard]] Score excerpt(const Score& score, double start_s, double seconds);

}  // namespace rivlen::learn
