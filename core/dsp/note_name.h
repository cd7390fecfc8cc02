// SPDX-License-Identifier: GPL-3.0-or-later
// The note of the tempered scale (ISO 16: A4 is 440 Hz) that is nearest to a frequency.
#pragma once

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <string>

namespace rivlen {

// "A4", or "A4 +12 ct" when it is off; empty below the hearing range.
[[nodiscard]] inline std::string note_name(double hz) {
    constexpr double kA4Hz = 440;
    constexpr int kA4 = 69;  // counted from C-1, as MIDI does
    constexpr std::array<const char*, 12> kNames = {"C",  "C#", "D",  "D#", "E",  "F",
                                                    "F#", "G",  "G#", "A",  "A#", "B"};
    if (hz < 16) return {};
    const double exact = kA4 + 12 * std::log2(hz / kA4Hz);
    const auto nearest = static_cast<int>(std::lround(exact));
    const auto cents = static_cast<int>(std::lround(100 * (exact - nearest)));
    const std::string name =
        fmt::format("{}{}", kNames[static_cast<std::size_t>(nearest % 12)], nearest / 12 - 1);
    return cents == 0 ? name : fmt::format("{} {:+d} ct", name, cents);
}

}  // namespace rivlen
