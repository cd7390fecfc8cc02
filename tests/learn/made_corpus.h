// SPDX-License-Identifier: GPL-3.0-or-later
// A small corpus made of synthetic sound, in the layout that rivlen-learn builds (learn/corpus.h).
#pragma once

#include <span>
#include <string>

#include "learn/corpus.h"
#include "tests/support/fixtures.h"

namespace rivlen::test {

// Two readers, two pieces and two kinds of noise to learn from, and one of each to choose by and to tell
// with. Voices are syllables of a buzz (120 and 160 Hz; to choose 210, to tell 250 Hz), music is chords on
// two channels, effects are decaying bursts.
[[nodiscard]] learn::Corpus made_corpus(const Scratch& scratch);

// A file by hand, after the standard: format 1, 96 ticks a beat; a tempo of 120 and then 60 beats a minute; a
// bass (program 34) that plays E1 for a beat, a drum by running status and a choir; notes that end by
// velocity 0.
[[nodiscard]] std::string made_score();

// Time to -60 dB of a response by ISO 3382-1: its backward integral (Schroeder 1965), from the fall between
// -5 and -25 dB.
[[nodiscard]] double decay_time_s(std::span<const float> response, int sample_rate);

}  // namespace rivlen::test
