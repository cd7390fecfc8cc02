// SPDX-License-Identifier: GPL-3.0-or-later
// Singing with long vowels, from a voice that reads: the filter of the mouth (learn/world/mouth.h) is played
// anew at the pitch of a tune. A vowel is held for as long as its note lasts, while consonants keep their
// length. It sounds otherwise than pitch laid on speech (learn/world/voices.h), and so do singers.
#pragma once

#include <span>

#include "learn/songs/score.h"
#include "learn/world/sound.h"

namespace rivlen::learn {

// One syllable of the voice a note, in the order of both; notes by the octave that lies nearest to the voice.
// Empty when the voice has too few syllables. At most as long as the notes are.
[[nodiscard]] Samples held_singing(const Samples& voice, std::span<const SungNote> notes, Rng& rng);

}  // namespace rivlen::learn
