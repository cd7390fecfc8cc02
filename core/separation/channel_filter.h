// SPDX-License-Identifier: GPL-3.0-or-later
// A filter across the two channels of a stereo group, built from the masks: a multichannel Wiener filter.
// Each stem is modelled as mask x normalised 2x2 covariance R_s of the channels (Duong, Vincent and
// Gribonval, "Under-Determined Reverberant Audio Source Separation Using a Full-Rank Spatial Covariance
// Model", IEEE TASLP 18, 2010, equations 6 and 7, without its iterations):
//
//   V_s = m_s (R_s + eps I),   W_s = V_s (sum over j of V_j)^-1
//
// Where the map's music opens into parts, each part is a V_s in place of the music's. The W_s add up to the
// identity, as masks add up to one, so that stems still add up to the source. What is handed out is W_s - m_s
// I: what the filter adds to the gains of mask weights.
#pragma once

#include <array>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include "core/dsp/stft.h"
#include "core/media/source.h"
#include "core/separation/bands.h"
#include "core/separation/channel_groups.h"
#include "core/separation/frame_masks.h"
#include "core/separation/mask_weights.h"

namespace rivlen {

// Complex 2x2 matrices, one a band: [row][column][0: real, 1: imaginary][band].
struct BandMatrices {
    std::array<std::array<std::array<std::array<float, kBands>, 2>, 2>, 2> part{};
};

class ChannelFilter {
  public:
    // group: of two channels. All memory is allocated here. source and map must outlive it.
    ChannelFilter(const Source& source, const MaskMap& map, ChannelGroup group, FrameMasks masks,
                  const Stft& stft, std::span<const BandRead> reads);

    // Covariances around a frame of the recording's grid, from +-0.5 s of it. The same frame gives the same
    // figures wherever the caller came from. stft: that of the constructor, for scratch.
    void look_around(std::int64_t frame, Stft& stft);
    // Sum over stems of weights.weight x (W_s - m_s I), times weights.both_channels, at the frame of the last
    // look_around(). masks: those of the map (MaskMap::row_size()), those that the weights are applied to.
    void correction(const MaskWeights& weights, std::span<const float> masks, BandMatrices& out) const;

  private:
    // Of every stem and part, summed over frames with weight m^2 / power: power of the left, of the right,
    // and real and imaginary part of left x conjugate of right.
    static constexpr std::size_t kFigures = 4;
    using Covariances = std::array<std::array<std::array<float, kBands>, kFigures>, kSounds>;
    static constexpr std::int64_t kBlock = 8;  // frames that are summed once
    static constexpr std::int64_t kReach = 5;  // blocks on either side
    static constexpr std::int64_t kKept = 16;

    const Covariances& block(std::int64_t index, Stft& stft);
    void add_frame(std::int64_t frame, Stft& stft, Covariances& sum);

    const Source& source_;
    const MaskMap& map_;  // for what fills put in place of the source
    ChannelGroup group_;
    FrameMasks masks_;
    std::vector<std::size_t> band_of_bin_;
    std::vector<Covariances> blocks_;
    std::array<std::int64_t, kKept> block_of_{};  // which block lies in a slot
    std::vector<float> time_;
    std::array<std::vector<Complex>, 2> spectra_;
    Covariances inner_{}, around_{};
    std::int64_t inner_of_ = std::numeric_limits<std::int64_t>::min();
};

}  // namespace rivlen
