// SPDX-License-Identifier: GPL-3.0-or-later
// Ambience that recordings lack, synthesised by families; levels are arbitrary. Every draw differs: what a
// family is like (speed, colour, rhythm) comes from `course`, which both channels share, and what differs
// between channels from `own`.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "learn/rooms.h"
#include "learn/world/sound.h"

namespace rivlen::learn {

// What a family gets to work with; it adds one channel of its sound to `out`.
struct AmbienceDraw {
    Samples& out;
    Rng& course;
    Rng& own;
};
struct AmbienceFamily {
    const char* name;
    void (*make)(const AmbienceDraw&);
    double weight;  // of being drawn
    bool events;    // single sounds with silence between them: its level is that of what sounds
};

// Beds that go on: wind, rumble, traffic, rain, ventilation, hum, machine, motor, texture, water, wind on the
// microphone.
[[nodiscard]] std::span<const AmbienceFamily> bed_families();
// Things that happen: bangs, clangs, patterns, steps, keys, rustling, doors, signals, telephones, birds,
// insects, animals, drips, thunder, handling of the microphone.
[[nodiscard]] std::span<const AmbienceFamily> event_families();

// Names of all of them, beds first.
[[nodiscard]] const std::vector<std::string>& synthetic_ambiences();
[[nodiscard]] const AmbienceFamily& ambience_family(const std::string& name);
[[nodiscard]] Stereo synthesise_ambience(const std::string& name, std::size_t frames, Rng& rng);

}  // namespace rivlen::learn
