// SPDX-License-Identifier: GPL-3.0-or-later
// SMPTE ST 12-1 time address: hh:mm:ss:ff, and drop-frame (hh:mm:ss;ff) at 30000/1001 and 60000/1001 frames a
// second.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace rivlen {

struct FrameRate {
    int num = 25;
    int den = 1;
    [[nodiscard]] double per_second() const { return static_cast<double>(num) / den; }
    [[nodiscard]] int nominal() const { return (num + den / 2) / den; }  // frames counted in a second
    bool operator==(const FrameRate&) const = default;
    [[nodiscard]] bool may_drop() const { return den == 1001 && (num == 30000 || num == 60000); }
};

[[nodiscard]] std::string format_timecode(std::int64_t frame, FrameRate rate, bool drop);
// Nothing when the text is no timecode of this rate (e.g. a dropped number).
[[nodiscard]] std::optional<std::int64_t> parse_timecode(std::string_view text, FrameRate rate);

}  // namespace rivlen
