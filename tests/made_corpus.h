// A small corpus made of synthetic sound, in the layout that rivlen-learn builds (learn/corpus.h).
#pragma once

#include "learn/corpus.h"
#include "tests/fixtures.h"

namespace rivlen::test {

// Two readers, two pieces and two kinds of noise to learn from, and one of each to choose by and to tell
// with. Voices are syllables of a buzz (120 and 160 Hz; to choose 210, to tell 250 Hz), music is chords on
// two channels, effects are decaying bursts.
[[nodiscard]] learn::Corpus made_corpus(const Scratch& scratch);

}  // namespace rivlen::test
