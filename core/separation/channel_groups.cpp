// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/channel_groups.h"

#include <algorithm>

namespace rivlen {

namespace {

// LCR, 5.1, 7.1, 5.1.4 and 7.1.4 in the order of core/space/layout.h.
bool is_bed(int channels) {
    return channels == 3 || channels == 6 || channels == 8 || channels == 10 || channels == 12;
}

std::vector<ChannelGroup> bed_groups(int channels) {
    std::vector<ChannelGroup> groups = {{0, 2}, {2, 3}};
    if (channels > 3) groups.push_back({3, 4});
    for (int first = 4; first < channels; first += 2) groups.push_back({first, first + 2});
    return groups;
}

}  // namespace

std::vector<ChannelGroup> channel_groups(int channels, ChannelGrouping grouping) {
    if (grouping == ChannelGrouping::Bed) {
        if (is_bed(channels)) return bed_groups(channels);
        grouping = ChannelGrouping::Pairs;
    }
    const int width = grouping == ChannelGrouping::Together ? channels
                      : grouping == ChannelGrouping::Pairs  ? 2
                                                            : 1;
    std::vector<ChannelGroup> groups;
    for (int first = 0; first < channels; first += width)
        groups.push_back({first, std::min(channels, first + width)});
    return groups;
}

bool any_pair(int channels, ChannelGrouping grouping) {
    return std::ranges::any_of(channel_groups(channels, grouping),
                               [](const ChannelGroup& group) { return group.last - group.first == 2; });
}

std::vector<ChannelGroup> groups_of_count(int channels, int count) {
    for (const auto grouping :
         {ChannelGrouping::Together, ChannelGrouping::Pairs, ChannelGrouping::Alone, ChannelGrouping::Bed}) {
        auto groups = channel_groups(channels, grouping);
        if (static_cast<int>(groups.size()) == count) return groups;
    }
    return channel_groups(channels, ChannelGrouping::Together);
}

}  // namespace rivlen
