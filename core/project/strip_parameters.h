// SPDX-License-Identifier: GPL-3.0-or-later
// What describes the controls of tracks and clips to their rails.
#pragma once

#include "core/project/timeline.h"

namespace rivlen {

inline constexpr ParameterInfo kStripGain{"gain",
                                          "Gain",
                                          "dB",
                                          kLowestGainDb,
                                          kHighestGainDb,
                                          0,
                                          0.1,
                                          false,
                                          false,
                                          "Level of the track.",
                                          "Too loud: what follows is driven into its limits."};
inline constexpr ParameterInfo kStripPan{"pan",
                                         "Pan",
                                         "%",
                                         -100,
                                         100,
                                         0,
                                         1,
                                         false,
                                         false,
                                         "Where it sounds from: -100 left, 100 right; constant power.",
                                         "Dialogue away from the middle tires the ear."};
inline constexpr ParameterInfo kStripWidth{
    "width",
    "Width",
    "%",
    -100,
    100,
    100,
    1,
    false,
    false,
    "How far its sides lie from where it sounds; below 0 they change places.",
    "Ambience that is narrow lies on the voice."};
inline constexpr ParameterInfo kSendLevel{"send",
                                          "Send",
                                          "dB",
                                          kLowestGainDb,
                                          kHighestGainDb,
                                          0,
                                          0.1,
                                          false,
                                          false,
                                          "Level of what goes to this bus.",
                                          "Too much room: the voice moves away."};
inline constexpr ParameterInfo kClipGain{"clip_gain",
                                         "Gain",
                                         "dB",
                                         kLowestGainDb,
                                         kHighestGainDb,
                                         0,
                                         0.1,
                                         false,
                                         false,
                                         "Level of the chosen clips.",
                                         "Jumps between neighbouring clips."};
inline constexpr ParameterInfo kFadeInMs{"fade_in",
                                         "Fade in",
                                         "ms",
                                         0,
                                         20000,
                                         0,
                                         5,
                                         false,
                                         false,
                                         "From silence to full level at the start.",
                                         "First words are lost."};
inline constexpr ParameterInfo kJointFade{
    "joint_fade",
    "Joints",
    "ms",
    0,
    kLongestJointFadeMs,
    kJointFadeMs,
    1,
    false,
    false,
    "Cross-fade wherever clips touch that no fade was set on. Of all tracks.",
    "Too long: two words at once."};
inline constexpr ParameterInfo kEdgeFade{
    "edge_fade",
    "Edges",
    "ms",
    0,
    kLongestJointFadeMs,
    kEdgeFadeMs,
    1,
    false,
    false,
    "Fade of every other edge that was cut and no fade was set on. Of all tracks.",
    "Too long: beginnings of words are soft."};
inline constexpr ParameterInfo kFadeOutMs{"fade_out",
                                          "Fade out",
                                          "ms",
                                          0,
                                          20000,
                                          0,
                                          5,
                                          false,
                                          false,
                                          "From full level to silence at the end.",
                                          "Last words are lost."};

}  // namespace rivlen
