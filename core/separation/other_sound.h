// SPDX-License-Identifier: GPL-3.0-or-later
// The sound that comes with the program for lessons to be mixed with (docs/licences.md has where it is from):
// a folder with a coded file a stem, in which clips lie one behind another, and "clips.json" with their
// length and what is to be known of each; and the same of the parts of songs, with "songs.json".
#pragma once

#include <filesystem>
#include <vector>

#include "core/base/job.h"
#include "core/separation/teacher.h"

namespace rivlen {

inline constexpr const char* kOtherSoundFolder = "teaching";  // beside the models
inline constexpr const char* kOtherSoundList = "clips.json";
inline constexpr const char* kOtherSongsList = "songs.json";

// Of what a model tells apart: stems, or the parts of songs.
enum class OtherSoundOf { Stems, MusicParts };

// Beside the models that come with the program; RIVLEN_TEACHING in the environment comes first. Empty when
// it is not installed.
[[nodiscard]] std::filesystem::path find_other_sound();

// Errors: NotFound (something of it is missing), BadInput, those of AudioDecoder, Cancelled. Any thread.
[[nodiscard]] Result<std::vector<OtherSound>> load_other_sound(const std::filesystem::path& folder,
                                                               const JobControl& job = {},
                                                               OtherSoundOf of = OtherSoundOf::Stems);

}  // namespace rivlen
