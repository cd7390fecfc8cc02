// SPDX-License-Identifier: GPL-3.0-or-later
// Levels and places at the ends of tracks and buses: faders and sends.
#pragma once

#include <array>
#include <cstdint>

#include "core/effects/processor.h"
#include "core/project/timeline.h"

namespace rivlen {

// Gain, pan and mute of a strip, with their lines, sample by sample.
//
// Pan is constant power: a place p from -100 to 100 has the angle a = (p + 100) / 200 * pi / 2. Balance: each
// side stays where it is, left times sqrt(2) cos a and right times sqrt(2) sin a, so that a strip in the
// middle passes unchanged and stems in the middle add up to their source. Sides: each side goes to left times
// cos a and right times sin a of its own place, so that it keeps its power wherever it lies, and far left and
// far right pass unchanged.
class FaderStage {
  public:
    explicit FaderStage(int sample_rate);
    // Jumps to what holds at a frame.
    void seek(const Strip& strip, bool audible, std::int64_t frame);
    void apply(const Strip& strip, bool audible, std::int64_t frame, ChannelBlock block);

  private:
    using Matrix = std::array<float, kStereoChannels * kStereoChannels>;  // row by row: to the left from left
                                                                          // and right, ...
    static Matrix gains(const Strip& strip, std::int64_t frame);
    void turn(ChannelBlock block, std::size_t at) const;
    Matrix now_{};
    float open_ = 1;  // 0: muted
    float open_step_, glide_;
};

// The level of a send and the mute of its track, with their lines, sample by sample.
class SendStage {
  public:
    explicit SendStage(int sample_rate);
    void seek(const Strip& strip, const Send& send, bool audible, std::int64_t frame);
    void apply(const Strip& strip, const Send& send, bool audible, std::int64_t frame, ChannelBlock block);

  private:
    float now_ = 0, open_ = 1, open_step_, glide_;
};

}  // namespace rivlen
