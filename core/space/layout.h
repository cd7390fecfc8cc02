// SPDX-License-Identifier: GPL-3.0-or-later
// Which channels sound has, and where they belong. Loudspeaker layouts have the names, positions and order of
// ITU-R BS.2051-3 (from memory, table 1 and the tables of its sound systems): LCR 0+3+0 of BS.775, 5.1 system
// B, 7.1 system I, 5.1.4 system D, 7.1.4 system J. Ambisonics are of order 1 to 5, in ACN order with SN3D
// normalisation (AmbiX: Nachbar, Zotter, Deleflie and Sontacchi 2011).
#pragma once

#include <array>
#include <cstddef>
#include <optional>
#include <span>
#include <string_view>

#include "core/space/direction.h"

namespace rivlen {

enum class Layout {
    Mono,
    Stereo,
    Lcr,
    Surround51,
    Surround71,
    Surround514,
    Surround714,
    Ambisonics1,
    Ambisonics2,
    Ambisonics3,
    Ambisonics4,
    Ambisonics5
};
inline constexpr std::size_t kLayouts = 12;
inline constexpr std::size_t kMostLayoutChannels = 36;  // of fifth order

struct Loudspeaker {
    const char* label = "";  // of BS.2051: "M+030"
    const char* name = "";   // of people: "Left"
    const char* mark = "";   // on meters: "L"
    Direction direction;
    bool lfe = false;  // low frequency effects, from no direction
};

// As in session files and on the command line: "mono", "5.1", "ambisonics 3".
[[nodiscard]] const char* key_of(Layout layout);
[[nodiscard]] std::optional<Layout> layout_of_key(std::string_view key);
// As people call it: "5.1", "Ambisonics, third order".
[[nodiscard]] const char* name_of(Layout layout);
[[nodiscard]] std::size_t channels_of(Layout layout);
// 0: made of loudspeakers.
[[nodiscard]] int ambisonic_order(Layout layout);
[[nodiscard]] Layout ambisonics_of_order(int order);  // 1 to 5
// In order of channels; none for ambisonics.
[[nodiscard]] std::span<const Loudspeaker> loudspeakers(Layout layout);
[[nodiscard]] std::optional<std::size_t> lfe_channel(Layout layout);
// "L", "Ls", or "4" for ambisonics: the channel's name on a meter.
[[nodiscard]] const char* channel_mark(Layout layout, std::size_t channel);
// What sound of so many channels is taken for where nothing says it: 1, 2, 3, 6, 8, 10 and 12 are
// loudspeakers, 4, 9, 16, 25 and 36 ambisonics; nothing else has a layout.
[[nodiscard]] std::optional<Layout> likely_layout(std::size_t channels);
// Has channels above ear height.
[[nodiscard]] bool has_height(Layout layout);

}  // namespace rivlen
