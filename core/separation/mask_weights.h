// SPDX-License-Identifier: GPL-3.0-or-later
// Settings worked out into what a frame is multiplied with.
#pragma once

#include <array>
#include <span>

#include "core/separation/bands.h"
#include "core/separation/mask_map.h"
#include "core/separation/music_parts.h"
#include "core/separation/settings.h"

namespace rivlen {

// Gain of a band = max(sum over stems j of weight[j][band] * mask[j][band], least), and above about 2 kHz at
// least open * guard * how far the dialogue explains the band (its mask's share of a half, 1 at most), where
// `open` tells how surely a consonant begins (consonants.h): a cymbal beside an s stays away.
struct MaskWeights {
    // Of the stems; of the parts of the music only when by_parts says so: else they share the music's.
    std::array<std::array<float, kBands>, kSounds> weight{};
    bool by_parts = false;
    [[nodiscard]] const std::array<float, kBands>& of(std::size_t sound) const {
        return weight[is_music_part(sound) && !by_parts ? kMusicSound : sound];
    }
    float min_gain = 0;
    float guard = 0;               // linear, gain of the stem included
    float temporal_smoothing = 0;  // 0 to 1, see FrameMasks
    // 0 to 1: how far what the filter across two channels adds to the gains is taken (channel_filter.h).
    float both_channels = 0;
    [[nodiscard]] bool passes_all() const;
    bool operator==(const MaskWeights&) const = default;
};

// A stem as it leaves: everything but mute and solo, which are the mix's affair. Of a part of the music, with
// itself in place of the stem.
[[nodiscard]] MaskWeights stem_weights(const StemSettings& settings, std::size_t sound);
// The same among all settings: the music is the sum of its parts as they are set, without those that are
// muted; a part follows the level of the music.
[[nodiscard]] MaskWeights sound_weights(const ShapeSettings& settings, std::size_t sound);
// What is kept of the source when all audible stems sound together. Where two stems claim the same part at
// less than full isolation, the larger claim counts, so that nothing is heard twice.
[[nodiscard]] MaskWeights kept_weights(const ShapeSettings& settings);
// Everything that is not cut.
[[nodiscard]] MaskWeights whole_weights();
// part 0: a, 1: b; between them every gain on the straight line.
[[nodiscard]] MaskWeights blend(const MaskWeights& a, const MaskWeights& b, float part);

// masks: kMaskRow or kOpenedRow values (without parts, the music counts as a whole); gains: kBands.
void band_gains(const MaskWeights& weights, std::span<const float> masks, float open, std::span<float> gains);

}  // namespace rivlen
