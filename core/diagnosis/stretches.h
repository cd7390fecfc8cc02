// SPDX-License-Identifier: GPL-3.0-or-later
// Which parts of a long recording are looked at.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace rivlen {

// What of so many frames is looked at: all up to four minutes, else eight stretches of half a minute.
struct Stretch {
    std::int64_t first, last;
};
[[nodiscard]] std::vector<Stretch> stretches_to_look_at(std::int64_t frames, int sample_rate);
// Fades of 20 ms at both ends, so that no joint of stretches is taken for a click.
void fade_ends(std::span<float> stretch, int sample_rate);

}  // namespace rivlen
