// SPDX-License-Identifier: GPL-3.0-or-later
// Where consonants begin: onsets of unvoiced sound in 2-10 kHz that the map gives at least partly to the
// dialogue, next to voiced sound. Ours; the ranges of unvoiced sounds are common practice, no source.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "core/dsp/stft.h"
#include "core/media/source.h"
#include "core/separation/channel_groups.h"
#include "core/separation/frame_masks.h"

namespace rivlen {

class Consonants {
  public:
    // source and masks must outlive it; channels: those that the masks are for. Frames are those of a Stft of
    // fft_size, centred on frame * hop; masks are read on the same grid, at most kContext + 1 frames ahead.
    Consonants(const Source& source, ChannelGroup channels, FrameMasks& masks, int fft_size);

    // How surely a consonant sounds at a frame, 0 to 1. Looks 0.15 s ahead and behind; results do not depend
    // on what was asked before.
    [[nodiscard]] float at(std::int64_t frame);

  private:
    static constexpr std::int64_t kKept = 64, kContext = 12, kHold = 4;
    struct Measured {
        float high_power = 0;  // 2-10 kHz
        float low_power = 0;   // 100-1000 Hz
        float high_share = 0;  // dialogue's share of high_power
        float low_share = 0;   // dialogue's share of low_power
    };
    const Measured& measured(std::int64_t frame);
    float raw(std::int64_t frame);
    float find_raw(std::int64_t frame);

    const Source* source_;
    ChannelGroup channels_;
    Stft stft_;
    FrameMasks* masks_;
    std::vector<BandRead> reads_;
    std::size_t low_first_, low_last_, high_first_, high_last_;  // bins
    std::vector<float> time_, power_;
    std::vector<Complex> spectrum_;
    std::array<Measured, kKept> measured_{};
    std::array<std::int64_t, kKept> frame_of_{};
    std::array<float, kKept> raw_{};
    std::array<std::int64_t, kKept> raw_of_{};
};

}  // namespace rivlen
