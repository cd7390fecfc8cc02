// SPDX-License-Identifier: GPL-3.0-or-later
// Settings worked out into what a frame is multiplied with.
#pragma once

#include <array>
#include <span>

#include "core/separation/bands.h"
#include "core/separation/mask_map.h"
#include "core/separation/settings.h"

namespace rivlen {

// Gain of a band = max(sum over stems j of weight[j][band] * mask[j][band], least), and above about 2 kHz at
// least open * guard * how far the dialogue explains the band (its mask's share of a half, 1 at most), where
// `open` tells how surely a consonant begins (consonants.h): a cymbal beside an s stays away.
struct MaskWeights {
    std::array<std::array<float, kBands>, kStems> weight{};
    float min_gain = 0;
    float guard = 0;               // linear, gain of the stem included
    float temporal_smoothing = 0;  // 0 to 1, see FrameMasks
    // 0 to 1: how far what the filter across two channels adds to the gains is taken (channel_filter.h).
    float both_channels = 0;
    [[nodiscard]] bool passes_all() const;
    bool operator==(const MaskWeights&) const = default;
};

// A stem as it leaves: everything but mute and solo, which are the mix's affair.
[[nodiscard]] MaskWeights stem_weights(const StemSettings& settings, std::size_t stem);
// What is kept of the source when all audible stems sound together. Where two stems claim the same part at
// less than full isolation, the larger claim counts, so that nothing is heard twice.
[[nodiscard]] MaskWeights kept_weights(const ShapeSettings& settings);
// Everything that is not cut.
[[nodiscard]] MaskWeights whole_weights();
// part 0: a, 1: b; between them every gain on the straight line.
[[nodiscard]] MaskWeights blend(const MaskWeights& a, const MaskWeights& b, float part);

// masks: kMaskRow values; gains: kBands.
void band_gains(const MaskWeights& weights, std::span<const float> masks, float open, std::span<float> gains);

}  // namespace rivlen
