// SPDX-License-Identifier: GPL-3.0-or-later
// Rooms to tell in: a shoebox by the image-source method (Allen and Berkley, "Image method for efficiently
// simulating small-room acoustics", 1979) over the whole decay, with walls that swallow more of the highs at
// every reflection. Not the rooms of learning, which are a sketch of early reflections before a tail of
// noise.
#pragma once

#include <array>
#include <random>
#include <vector>

namespace rivlen::learn {

struct ImageRoom {
    std::array<double, 3> size_m, source_m;
    std::array<std::array<double, 3>, 2> microphones_m;  // left, right
    double reflection = 0.8;                             // of the pressure, at low frequencies, by one wall
    double highs_db = 0.8;   // what a wall takes off at the highest frequencies on top of that
    double longest_s = 1.2;  // images further away are left out
};
[[nodiscard]] ImageRoom draw_room(bool strong, bool stereo, std::mt19937_64& chance);

// Responses of both microphones from the arrival of the direct sound on, in two parts: up to 30 ms, and
// later. Direct sound has the gain 1 at the nearer microphone.
struct RoomResponses {
    std::array<std::vector<float>, 2> early, late;
};
[[nodiscard]] RoomResponses responses_of(const ImageRoom& room);

[[nodiscard]] std::vector<float> convolved(const std::vector<float>& x, const std::vector<float>& response);

}  // namespace rivlen::learn
