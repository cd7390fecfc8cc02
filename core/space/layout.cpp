// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/layout.h"

#include <algorithm>

namespace rivlen {

namespace {

constexpr Loudspeaker kLeft{"M+030", "Left", "L", {30, 0}};
constexpr Loudspeaker kRight{"M-030", "Right", "R", {-30, 0}};
constexpr Loudspeaker kCentre{"M+000", "Centre", "C", {0, 0}};
constexpr Loudspeaker kLfe{"LFE1", "Low frequency effects", "LFE", {45, -30}, true};
constexpr Loudspeaker kLeftSurround{"M+110", "Left surround", "Ls", {110, 0}};
constexpr Loudspeaker kRightSurround{"M-110", "Right surround", "Rs", {-110, 0}};
constexpr Loudspeaker kLeftSide{"M+090", "Left side", "Lss", {90, 0}};
constexpr Loudspeaker kRightSide{"M-090", "Right side", "Rss", {-90, 0}};
constexpr Loudspeaker kLeftRear{"M+135", "Left rear", "Lrs", {135, 0}};
constexpr Loudspeaker kRightRear{"M-135", "Right rear", "Rrs", {-135, 0}};

constexpr std::array<Loudspeaker, 1> kMono = {kCentre};
constexpr std::array<Loudspeaker, 2> kStereo = {kLeft, kRight};
constexpr std::array<Loudspeaker, 3> kLcr = {kLeft, kRight, kCentre};
constexpr std::array<Loudspeaker, 6> k51 = {kLeft, kRight, kCentre, kLfe, kLeftSurround, kRightSurround};
constexpr std::array<Loudspeaker, 8> k71 = {kLeft,     kRight,     kCentre,   kLfe,
                                            kLeftSide, kRightSide, kLeftRear, kRightRear};
constexpr std::array<Loudspeaker, 10> k514 = {kLeft,
                                              kRight,
                                              kCentre,
                                              kLfe,
                                              kLeftSurround,
                                              kRightSurround,
                                              {"U+030", "Left top front", "Ltf", {30, 30}},
                                              {"U-030", "Right top front", "Rtf", {-30, 30}},
                                              {"U+110", "Left top rear", "Ltr", {110, 30}},
                                              {"U-110", "Right top rear", "Rtr", {-110, 30}}};
constexpr std::array<Loudspeaker, 12> k714 = {kLeft,
                                              kRight,
                                              kCentre,
                                              kLfe,
                                              kLeftSide,
                                              kRightSide,
                                              kLeftRear,
                                              kRightRear,
                                              {"U+045", "Left top front", "Ltf", {45, 30}},
                                              {"U-045", "Right top front", "Rtf", {-45, 30}},
                                              {"U+135", "Left top rear", "Ltr", {135, 30}},
                                              {"U-135", "Right top rear", "Rtr", {-135, 30}}};

struct Words {
    const char* key;
    const char* name;
};
constexpr std::array<Words, kLayouts> kWords = {{{"mono", "Mono"},
                                                 {"stereo", "Stereo"},
                                                 {"lcr", "LCR"},
                                                 {"5.1", "5.1"},
                                                 {"7.1", "7.1"},
                                                 {"5.1.4", "5.1.4"},
                                                 {"7.1.4", "7.1.4"},
                                                 {"ambisonics 1", "Ambisonics, first order"},
                                                 {"ambisonics 2", "Ambisonics, second order"},
                                                 {"ambisonics 3", "Ambisonics, third order"},
                                                 {"ambisonics 4", "Ambisonics, fourth order"},
                                                 {"ambisonics 5", "Ambisonics, fifth order"}}};
constexpr std::array<const char*, kMostLayoutChannels> kNumbers = {
    "0",  "1",  "2",  "3",  "4",  "5",  "6",  "7",  "8",  "9",  "10", "11",
    "12", "13", "14", "15", "16", "17", "18", "19", "20", "21", "22", "23",
    "24", "25", "26", "27", "28", "29", "30", "31", "32", "33", "34", "35"};

}  // namespace

const char* key_of(Layout layout) {
    return kWords[static_cast<std::size_t>(layout)].key;
}
const char* name_of(Layout layout) {
    return kWords[static_cast<std::size_t>(layout)].name;
}

std::optional<Layout> layout_of_key(std::string_view key) {
    const auto found = std::ranges::find_if(kWords, [key](const Words& w) { return key == w.key; });
    if (found == kWords.end()) return std::nullopt;
    return static_cast<Layout>(found - kWords.begin());
}

int ambisonic_order(Layout layout) {
    return layout < Layout::Ambisonics1
               ? 0
               : static_cast<int>(layout) - static_cast<int>(Layout::Ambisonics1) + 1;
}

Layout ambisonics_of_order(int order) {
    return static_cast<Layout>(static_cast<int>(Layout::Ambisonics1) + std::clamp(order, 1, 5) - 1);
}

std::size_t channels_of(Layout layout) {
    if (const int order = ambisonic_order(layout); order > 0)
        return static_cast<std::size_t>((order + 1) * (order + 1));
    return loudspeakers(layout).size();
}

std::span<const Loudspeaker> loudspeakers(Layout layout) {
    switch (layout) {
        case Layout::Mono:
            return kMono;
        case Layout::Stereo:
            return kStereo;
        case Layout::Lcr:
            return kLcr;
        case Layout::Surround51:
            return k51;
        case Layout::Surround71:
            return k71;
        case Layout::Surround514:
            return k514;
        case Layout::Surround714:
            return k714;
        default:
            return {};
    }
}

std::optional<std::size_t> lfe_channel(Layout layout) {
    const auto all = loudspeakers(layout);
    const auto found = std::ranges::find_if(all, &Loudspeaker::lfe);
    if (found == all.end()) return std::nullopt;
    return static_cast<std::size_t>(found - all.begin());
}

const char* channel_mark(Layout layout, std::size_t channel) {
    const auto all = loudspeakers(layout);
    return all.empty() ? kNumbers[std::min(channel, kNumbers.size() - 1)] : all[channel].mark;
}

std::optional<Layout> likely_layout(std::size_t channels) {
    for (std::size_t k = 0; k < kLayouts; ++k) {
        if (channels_of(static_cast<Layout>(k)) == channels) return static_cast<Layout>(k);
    }
    return std::nullopt;
}

bool has_height(Layout layout) {
    return ambisonic_order(layout) > 0 || std::ranges::any_of(loudspeakers(layout), [](const Loudspeaker& s) {
               return s.direction.elevation_deg > 0;
           });
}

}  // namespace rivlen
