// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/timecode.h"

#include <fmt/format.h>

#include <array>

namespace rivlen {

namespace {

// Numbers dropped at the start of every minute but each tenth (ST 12-1, 8.2): 2 at 30, 4 at 60.
std::int64_t dropped_per_minute(FrameRate rate) {
    return rate.nominal() / 15;
}

}  // namespace

std::string format_timecode(std::int64_t frame, FrameRate rate, bool drop) {
    const std::int64_t nominal = rate.nominal();
    const std::int64_t day = nominal * 86400;
    drop = drop && rate.may_drop();
    if (drop) {
        const std::int64_t skip = dropped_per_minute(rate);
        const std::int64_t ten = nominal * 600 - 9 * skip;
        const std::int64_t minute = nominal * 60 - skip;
        const std::int64_t tens = frame / ten;
        const std::int64_t rest = frame % ten;
        frame += 9 * skip * tens;
        if (rest >= nominal * 60) frame += skip * (1 + (rest - nominal * 60) / minute);
    }
    frame = ((frame % day) + day) % day;
    const std::int64_t seconds = frame / nominal;
    return fmt::format("{:02d}:{:02d}:{:02d}{}{:02d}", seconds / 3600, seconds / 60 % 60, seconds % 60,
                       drop ? ';' : ':', frame % nominal);
}

std::optional<std::int64_t> parse_timecode(std::string_view text, FrameRate rate) {
    std::array<std::int64_t, 4> fields{};
    std::size_t at = 0;
    bool drop = false;
    for (std::size_t f = 0; f < fields.size(); ++f) {
        std::size_t digits = 0;
        while (at < text.size() && text[at] >= '0' && text[at] <= '9' && digits < 3) {
            fields[f] = fields[f] * 10 + (text[at++] - '0');
            ++digits;
        }
        if (digits == 0) return std::nullopt;
        if (f < 3) {
            if (at >= text.size() || (text[at] != ':' && text[at] != ';' && text[at] != '.'))
                return std::nullopt;
            drop = drop || text[at] != ':';
            ++at;
        }
    }
    if (at != text.size()) return std::nullopt;
    const auto& [h, m, s, f] = fields;
    const std::int64_t nominal = rate.nominal();
    if (h > 23 || m > 59 || s > 59 || f >= nominal) return std::nullopt;
    std::int64_t frame = ((h * 60 + m) * 60 + s) * nominal + f;
    if (drop) {
        if (!rate.may_drop()) return std::nullopt;
        const std::int64_t skip = dropped_per_minute(rate);
        if (s == 0 && f < skip && m % 10 != 0) return std::nullopt;
        const std::int64_t minutes = h * 60 + m;
        frame -= skip * (minutes - minutes / 10);
    }
    return frame;
}

}  // namespace rivlen
