// SPDX-License-Identifier: GPL-3.0-or-later
// The parts that the music stem opens into: who sings, drums, bass, and all other instruments. A second map,
// of the network "parts", says how the music is shared out to them (MaskMap::opened()).
#pragma once

#include <array>
#include <cstddef>
#include <string_view>

#include "core/separation/bands.h"

namespace rivlen {

enum class MusicPart { Voices = 0, Drums = 1, Bass = 2, Rest = 3 };
inline constexpr int kMusicParts = 4;

// Everything that is set and listened to by itself, by index: the stems, then the parts of the music.
inline constexpr int kSounds = kStems + kMusicParts;
inline constexpr std::array<const char*, kMusicParts> kMusicPartNames = {"voices", "drums", "bass", "rest"};
inline constexpr std::array<const char*, kSounds> kSoundNames = {
    kStemNames[0],      kStemNames[1],      kStemNames[2],      kStemNames[3],
    kMusicPartNames[0], kMusicPartNames[1], kMusicPartNames[2], kMusicPartNames[3]};

inline constexpr auto kMusicSound = static_cast<std::size_t>(Stem::Music);
[[nodiscard]] constexpr std::size_t sound_of(MusicPart part) {
    return kStems + static_cast<std::size_t>(part);
}
[[nodiscard]] constexpr bool is_music_part(std::size_t sound) {
    return sound >= kStems && sound < kSounds;
}
// By its name in kSoundNames; kSounds where there is none of it.
[[nodiscard]] constexpr std::size_t sound_named(std::string_view name) {
    std::size_t sound = 0;
    while (sound < kSounds && name != kSoundNames[sound]) ++sound;
    return sound;
}
// The stem that a sound is, or is a part of.
[[nodiscard]] constexpr Stem stem_of_sound(std::size_t sound) {
    return is_music_part(sound) ? Stem::Music : static_cast<Stem>(sound);
}

}  // namespace rivlen
