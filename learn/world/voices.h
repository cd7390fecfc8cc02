// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done to a recorded voice so that few readers sound like many, or sing.
#pragma once

#include <span>

#include "learn/songs/score.h"
#include "learn/world/sound.h"

namespace rivlen::learn {

// Reads faster or slower, by libsoxr: pitch and formants move together, and so does the bandwidth.
[[nodiscard]] Samples at_speed(const Samples& x, double speed);

// Pitch moved by a factor while formants stay, by Rubber Band; the same length.
[[nodiscard]] Samples with_pitch(const Samples& voice, double factor);

// Fundamental of a voice every 10 ms, in Hz; 0 where it has none. By the highest peak of the autocorrelation
// of 40 ms (Rabiner 1977), 70 to 420 Hz.
[[nodiscard]] std::vector<double> fundamentals(const Samples& voice);

// The voice as if it sang: stretched, its pitch laid on notes of a scale near its own, with glides and
// vibrato, formants kept. Empty when it has too little pitch to begin with.
[[nodiscard]] Samples sung(const Samples& voice, Rng& rng);

// The same on given notes, by the octave that lies nearest to the voice's own pitch; their ends count in what
// comes out. At most as long as the notes are.
[[nodiscard]] Samples sung(const Samples& voice, std::span<const SungNote> notes, Rng& rng);

}  // namespace rivlen::learn
