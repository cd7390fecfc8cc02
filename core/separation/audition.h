// SPDX-License-Identifier: GPL-3.0-or-later
// The ways of listening to a recording, and the range that is listened to again and again.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>

namespace rivlen {

// Kept, removed and cut add up to the source; so do the stems and what is cut. Cut is what corrections took
// out of the whole (corrections.h): silence without such corrections.
enum class Monitor {
    Source = 0,
    Kept,
    Removed,
    Dialogue,
    Reverb,
    Music,
    Ambience,
    Voices,  // of the music, where it is opened (music_parts.h); so are the next three
    Drums,
    Bass,
    Rest,
    Cut
};
inline constexpr int kMonitors = 12;
inline constexpr std::array<const char*, kMonitors> kMonitorKeys = {"source", "kept",  "removed",  "dialogue",
                                                                    "reverb", "music", "ambience", "voices",
                                                                    "drums",  "bass",  "rest",     "cut"};
[[nodiscard]] constexpr Monitor monitor_of_sound(std::size_t sound) {
    return static_cast<Monitor>(static_cast<std::size_t>(Monitor::Dialogue) + sound);
}
// The stem or part of the music that is listened to by itself; nothing for the others.
[[nodiscard]] constexpr std::optional<std::size_t> sound_of_monitor(Monitor monitor) {
    if (monitor < Monitor::Dialogue || monitor == Monitor::Cut) return std::nullopt;
    return static_cast<std::size_t>(monitor) - static_cast<std::size_t>(Monitor::Dialogue);
}

// A loop is no shorter: at every turn what is heard is rendered anew, and less than this is a buzz.
inline constexpr double kShortestLoopSeconds = 0.02;

struct LoopRange {
    std::int64_t first = 0;  // frames
    std::int64_t last = 0;   // one past the end
    bool operator==(const LoopRange&) const = default;
};

}  // namespace rivlen
