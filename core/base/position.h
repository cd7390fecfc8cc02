// SPDX-License-Identifier: GPL-3.0-or-later
// Positions on the two lines of time there are. Both count frames, but of different things at different
// rates: types of their own keep one from being taken for the other.
#pragma once

#include <compare>
#include <cstdint>

namespace rivlen {

// Of a recording, at its own rate, from its first frame on.
struct RecordingFrame {
    std::int64_t count = 0;
    auto operator<=>(const RecordingFrame&) const = default;
};

// Of the session's line of time, at the session's rate.
struct SessionFrame {
    std::int64_t count = 0;
    auto operator<=>(const SessionFrame&) const = default;
};

}  // namespace rivlen
