// SPDX-License-Identifier: GPL-3.0-or-later
// Which channels of a recording share masks. Channels of one picture in space belong together, so that it
// does not move; microphones of their own are better parted each alone.
#pragma once

#include <array>
#include <vector>

namespace rivlen {

// Together: one group of all channels. Pairs: 1 and 2, 3 and 4, ...; an odd last one alone. Alone: every
// channel. Bed: as loudspeakers belong together, left with right, centre and LFE each alone; where so many
// channels are no bed, as pairs. Of one channel, and together or in pairs of two, there is one group.
enum class ChannelGrouping { Together = 0, Pairs, Alone, Bed };
inline constexpr std::array<const char*, 4> kChannelGroupings = {"together", "pairs", "alone", "bed"};

struct ChannelGroup {
    int first = 0;
    int last = 0;  // one past the end
    bool operator==(const ChannelGroup&) const = default;
};
[[nodiscard]] std::vector<ChannelGroup> channel_groups(int channels, ChannelGrouping grouping);
// The same from a number of groups, as a mask map holds it; one of all channels when no grouping gives it.
[[nodiscard]] std::vector<ChannelGroup> groups_of_count(int channels, int count);
// Whether any of them has two channels, so that directions can be told apart
// (core/separation/channel_filter.h).
[[nodiscard]] bool any_pair(int channels, ChannelGrouping grouping);

}  // namespace rivlen
