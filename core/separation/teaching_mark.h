// SPDX-License-Identifier: GPL-3.0-or-later
// Where one kind of sound is alone in a recording, and the model that learned from it.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>

#include "core/separation/music_parts.h"

namespace rivlen {

struct TeachingMark {
    Stem stem = Stem::Ambience;       // of what sounds alone; a talker is Stem::Dialogue, with all reverb
    std::int64_t first = 0;           // frame of the recording
    std::int64_t last = 0;            // one past the end
    std::optional<MusicPart> part{};  // of the music, when this alone sounds; the stem is Music then
    // Index in kSoundNames.
    [[nodiscard]] std::size_t sound() const {
        return part ? sound_of(*part) : static_cast<std::size_t>(stem);
    }
    [[nodiscard]] static TeachingMark of(std::size_t sound, std::int64_t first, std::int64_t last) {
        TeachingMark mark{stem_of_sound(sound), first, last};
        if (is_music_part(sound)) mark.part = static_cast<MusicPart>(sound - kStems);
        return mark;
    }
    bool operator==(const TeachingMark&) const = default;
};

struct TaughtModel {
    std::filesystem::path weights;  // what sets it apart from the model that was taught
    bool in_use = true;             // its masks are the recording's; else those of the model as it comes
    bool operator==(const TaughtModel&) const = default;
};

}  // namespace rivlen
