// SPDX-License-Identifier: GPL-3.0-or-later
// Where clips go when they are moved by small units or to a typed timecode.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string_view>

#include "core/project/timeline.h"

namespace rivlen {

// A subframe is a hundredth of a picture frame: common practice, no source.
enum class NudgeUnit { Sample, Millisecond, TenMilliseconds, Subframe, Frame };
inline constexpr std::size_t kNudgeUnits = 5;
inline constexpr std::array<const char*, kNudgeUnits> kNudgeUnitLabels = {"1 sample", "1 ms", "10 ms",
                                                                          "1 subframe", "1 frame"};

// A frame of the session's line moved by so many units. Units that are no whole number of samples (a frame of
// 29.97 Hz has 1601.6) do not add up their rounding: thirty nudges by a frame are thirty frames.
[[nodiscard]] std::int64_t nudged(const Timeline& timeline, std::int64_t frame, NudgeUnit unit, int by);

// Where a typed timecode lies on the session's line; nothing when it is no timecode of this rate, or lies
// before the line's beginning.
[[nodiscard]] std::optional<std::int64_t> frame_of_timecode(const Timeline& timeline, std::string_view text);

}  // namespace rivlen
