// Rooms: a sparse early part and a noise tail whose decay depends on frequency.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "learn/rng.h"

namespace rivlen::learn {

using Stereo = std::array<std::vector<float>, 2>;

struct RoomSpec {
    double decay_seconds = 0.4;        // time to -60 dB at 1 kHz
    double direct_to_reverb_db = 8.0;  // energy of direct + first 30 ms against the rest
    double high_decay = 0.6;           // decay at 8 kHz against that at 1 kHz
    double low_decay = 1.1;            // decay at 125 Hz against that at 1 kHz
};
[[nodiscard]] RoomSpec random_room(Rng& rng, bool strong);

struct RoomSound {
    Stereo direct;  // direct sound and reflections of the first 30 ms: what counts as dialogue
    Stereo reverb;  // the rest
};
// Puts a dry mono signal into a room; `pan` from -1 to 1 places the direct sound (constant power).
[[nodiscard]] RoomSound put_in_room(std::span<const float> dry, const RoomSpec& room, double pan, Rng& rng);

}  // namespace rivlen::learn
