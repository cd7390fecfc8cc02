// SPDX-License-Identifier: GPL-3.0-or-later
// Room tone without an end from the pauses of a recording: grains of them are laid over each other, half
// overlapping, under a window whose powers add up to one (a half sine; what overlaps comes from other places
// and is not alike, so that powers add). Where a grain comes from steps on by the golden ratio of all there
// is: neighbours are never near each other, and no order comes again (H. Weyl, "Über die Gleichverteilung von
// Zahlen mod. Eins", 1916: the fractional parts are spread evenly and never repeat).
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/separation/audition.h"

namespace rivlen {

class RoomTone {
  public:
    // stretches: of a recording, in its frames; too short ones are left out. sample_rate: Hz.
    RoomTone(std::span<const LoopRange> stretches, int sample_rate);
    // False when there is too little (kLeastToneSeconds in one piece).
    [[nodiscard]] bool usable() const { return places_ > 0; }
    [[nodiscard]] std::int64_t grain_frames() const { return grain_; }
    // Grains begin every half grain; this many frames of the tone lie before a frame's grain, and the frame
    // belongs to that grain and to the one before it. Any frame, also below 0.
    [[nodiscard]] std::int64_t grain_at(std::int64_t frame) const;
    [[nodiscard]] std::int64_t grain_start(std::int64_t grain) const { return grain * (grain_ / 2); }
    // Where in the recording a grain begins.
    [[nodiscard]] std::int64_t place_of(std::int64_t grain) const;
    // At a frame of the grain, 0 to grain_frames() - 1.
    [[nodiscard]] float window(std::int64_t frame) const { return window_[static_cast<std::size_t>(frame)]; }

  private:
    std::vector<LoopRange> stretches_;
    std::int64_t grain_ = 0, places_ = 0;
    std::vector<float> window_;
};

inline constexpr double kLeastToneSeconds = 0.2;

}  // namespace rivlen
