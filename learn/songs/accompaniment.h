// SPDX-License-Identifier: GPL-3.0-or-later
// Charts of chords and a tune, for a program that arranges them in a style (Debian's "mma"): its players read
// like those of a band, and no two styles have the same.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/base/rng.h"

namespace rivlen::learn {

// A style as its file describes it.
struct Groove {
    std::string name;
    int beats_a_bar = 4;
};
// The first of every style in a folder of the arranger, in order of their names; those without chords to play
// (a metronome) are left out. Errors: NotFound (no styles there).
[[nodiscard]] Result<std::vector<Groove>> grooves_of(const std::filesystem::path& folder,
                                                     std::size_t of_each);

// Some 30 s in a key, a mode and a speed that rng draws, a chord or two a bar, and over them a tune of single
// notes on the chords' tones and between them.
[[nodiscard]] std::string chart_of(const Groove& groove, Rng& rng);

}  // namespace rivlen::learn
