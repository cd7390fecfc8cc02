// SPDX-License-Identifier: GPL-3.0-or-later
// Pieces of music by rule, as notes of players: chords that follow each other, a bass line, drums with fills,
// what accompanies, and a tune that is sung. Soundfonts make them sound (soundfont.h).
#pragma once

#include <array>
#include <cstddef>
#include <vector>

#include "core/base/rng.h"
#include "core/separation/music_parts.h"

namespace rivlen::learn {

struct PlayedNote {
    double start_s = 0, seconds = 0;
    int key = 60;       // MIDI: 60 is middle C; of drums General MIDI's instruments
    int velocity = 96;  // 1 to 127
};
// What one player plays.
struct PlayedLine {
    MusicPart part = MusicPart::Rest;
    int program = 0;  // of General MIDI, 0 to 127; of drums the kit
    double pan = 0;   // -1 left to 1 right
    double level_db = 0;
    std::vector<PlayedNote> notes;  // in order of start
};
// A note of the tune: until when, and which.
struct SungNote {
    double end_s = 0;
    int key = 60;
};
struct Score {
    double seconds = 0, beat_s = 0.5;
    std::vector<PlayedLine> lines;
    std::vector<SungNote> tune;  // without gaps; nothing is said of who sings it
};

// 60 to 180 beats a minute, in three or four, straight or swung; major, minor or dorian. Any player may be
// missing, but not all of them, and may pause for some bars; starts and velocities are a player's, not a
// machine's.
[[nodiscard]] Score make_score(double seconds, Rng& rng);

}  // namespace rivlen::learn
