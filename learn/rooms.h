// SPDX-License-Identifier: GPL-3.0-or-later
// Rooms to learn in: reflections of a box by the image-source method (Allen and Berkley, "Image method for
// efficiently simulating small-room acoustics", 1979), up to the second order, and behind them a noise tail
// that decays by octave bands. Also cars, and echoes of walls outdoors. One microphone, or a pair that stands
// together or apart.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "core/base/rng.h"

namespace rivlen::learn {

using Stereo = std::array<std::vector<float>, 2>;

inline constexpr std::size_t kDecayBands = 7;  // octaves, 125 Hz to 8 kHz

struct RoomSpec {
    std::array<double, 3> size_m = {5, 4, 2.6};
    std::array<double, 3> source_m = {2, 2, 1.5};
    std::array<double, 3> microphone_m = {3.5, 2, 1.4};
    double spacing_m = 0.0;  // of the pair's two microphones, along x
    double spread =
        0.0;  // of a pair that stands together: 0 both hear all alike, 1 cardioids at +-90 degrees
    double reflection = 0.7;                       // of the pressure, by a wall
    double wall_cutoff_hz = 6000;                  // above it walls swallow more
    std::array<double, kDecayBands> decay_s = {};  // time to -60 dB
    double direct_to_reverb_db = 8.0;              // energy of direct + first 30 ms against the rest
    std::vector<double> echoes_s;                  // outdoors: single late reflections
};

enum class Strength { Light, Strong };
enum class Microphones {
    Together,  // the direct sound comes to both at once, so that its place in time is the dry voice's
    Any
};
[[nodiscard]] RoomSpec random_room(Rng& rng, Strength strength, Microphones microphones);

struct RoomSound {
    Stereo direct;  // direct sound and reflections of the first 30 ms: what counts as dialogue
    Stereo reverb;  // the rest
};
// Puts a dry mono signal into a room; `pan` from -1 to 1 places the direct sound of a pair that stands
// together (constant power). The direct sound is not delayed, but by what one microphone of a pair hears
// later than the other.
[[nodiscard]] RoomSound put_in_room(std::span<const float> dry, const RoomSpec& room, double pan, Rng& rng);

}  // namespace rivlen::learn
