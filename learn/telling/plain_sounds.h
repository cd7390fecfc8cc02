// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds whose stem nobody would doubt, made by rule: what a model does with them tells where it decides
// wrongly. They are for telling only. Nothing here shares code or parameters with what mixes for learning are
// made of (learn/world), or the figures would say how well the generator was learned by heart.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace rivlen::learn {

enum class PlainStem { Voice, Music, Ambience };

struct PlainSound {
    const char* name;
    PlainStem stem;
    // Mono at 48 kHz, `seconds` long, peak 0.25; the same seed gives the same sound.
    std::vector<float> (*make)(double seconds, std::uint64_t seed);
};
// Those of ambience also lie under telling mixes.
[[nodiscard]] std::span<const PlainSound> plain_ambience();
[[nodiscard]] std::span<const PlainSound> plain_music_and_voices();

}  // namespace rivlen::learn
