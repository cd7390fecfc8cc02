// A small corpus made of synthetic sound, in the layout that rivlen-learn builds (learn/corpus.h).
#pragma once

#include "learn/corpus.h"
#include "tests/fixtures.h"

namespace rivlen::test {

// Two readers, two pieces and two kinds of noise to learn from, and one of each held out. Voices are
// syllables of a buzz (120 Hz, held out 210 Hz), music is chords on two channels, effects are decaying
// bursts.
[[nodiscard]] learn::Corpus made_corpus(const Scratch& scratch);

}  // namespace rivlen::test
