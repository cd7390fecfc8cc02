// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the sound that comes with the program for lessons to be mixed with (core/separation/other_sound.h):
// excerpts of what models learn from, never of what they are chosen or told by. Every stem of a clip comes
// from one recording, so that licences do not mix; "clips.json" names recording, package and licence.
#pragma once

#include <filesystem>

#include "core/base/result.h"
#include "learn/rooms.h"

namespace rivlen::learn {

struct TeachingSetOptions {
    std::filesystem::path corpus, folder;
    std::filesystem::path package_list;  // for the licences
    int clips = 40;
    double clip_seconds = 5.0;
    std::uint64_t seed = 1;
    bool songs = false;  // in their parts, for the model of parts
};
// Errors: those of Corpus::open(), read_packages() and of writing.
[[nodiscard]] Status make_teaching_set(const TeachingSetOptions& options);

// The same for the parts of music, with options.songs: stretches of songs by rule, their parts each in a
// file, "songs.json". They are played by soundfonts under the MIT licence and sung by readers whose licence
// is the GPL.
[[nodiscard]] Status make_song_teaching_set(const TeachingSetOptions& options);

// Opus; appears whole or not at all.
[[nodiscard]] Status write_teaching_sound(const Stereo& sound, const std::filesystem::path& file);

}  // namespace rivlen::learn
