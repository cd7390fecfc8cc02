// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/channel_groups.h"

#include <algorithm>

namespace rivlen {

std::vector<ChannelGroup> channel_groups(int channels, ChannelGrouping grouping) {
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
    for (const auto grouping : {ChannelGrouping::Together, ChannelGrouping::Pairs, ChannelGrouping::Alone}) {
        auto groups = channel_groups(channels, grouping);
        if (static_cast<int>(groups.size()) == count) return groups;
    }
    return channel_groups(channels, ChannelGrouping::Together);
}

}  // namespace rivlen
