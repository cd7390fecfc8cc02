// SPDX-License-Identifier: GPL-3.0-or-later
// What the eye needs of a recording: columns of band levels, the stems' shares in them, and outlines.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "core/dsp/frequency_scale.h"
#include "core/media/source.h"
#include "core/separation/bands.h"
#include "core/separation/mask_map.h"
#include "core/separation/music_parts.h"

namespace rivlen {

inline constexpr int kOverviewRows = 96;

// The rows of a picture, from the lowest frequency of its range to the highest.
struct OverviewRows {
    FrequencyRange range;
    int count = kOverviewRows;
    [[nodiscard]] double hz(double row) const { return range.hz_at(row / (count - 1)); }
    bool operator==(const OverviewRows&) const = default;
};

struct Overview {
    std::size_t columns = 0, rows = 0;
    std::size_t sounds = 0;           // that have shares: none, the stems, or the parts of the music, too
    std::vector<std::uint8_t> level;  // [column][row]: 0 = -110 dBFS or less, 255 = -10 or more
    std::array<std::vector<std::uint8_t>, kSounds>
        share;                           // [column][row]: mask of a stem or part, 0..255; empty
                                         // without map, 0 of all where it is not split yet
    std::vector<float> lowest, highest;  // of the samples in a column, over all channels
    std::array<std::vector<float>, kSounds>
        outline;  // RMS of a stem or part in a column, from its share of the power
};

// Level of a code, in dBFS.
[[nodiscard]] constexpr double dbfs_of_code(std::uint8_t code) {
    return -110 + code / 2.55;
}

// Columns of frames_per_column frames each, from first_frame on. Cost does not grow with frames_per_column
// beyond a few transforms a column: wide columns are sampled. map may be null.
[[nodiscard]] Overview make_overview(const Source& source, const MaskMap* map, std::int64_t first_frame,
                                     std::int64_t frames_per_column, std::size_t columns,
                                     const OverviewRows& rows = {});

}  // namespace rivlen
