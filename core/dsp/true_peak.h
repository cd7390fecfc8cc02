// SPDX-License-Identifier: GPL-3.0-or-later
// Peaks between samples ("true peak"): the sound at four times its rate, interpolated by a Kaiser-windowed
// sinc. ITU-R BS.1770-4, Annex 2, describes the method; the filter here is longer.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace rivlen {

class PeakInterpolator {
  public:
    static constexpr std::size_t kPhases = 4, kTaps = 32;
    PeakInterpolator();
    // Highest magnitude of the sample in the middle (kTaps / 2 - 1) and of the three points behind it; kTaps
    // samples from `x` on.
    [[nodiscard]] float peak_at(const float* x) const;
    // The highest magnitude that samples up to 1 can have between them.
    [[nodiscard]] float rise() const { return rise_; }

  private:
    friend class TruePeakMeter;
    std::array<std::array<float, kTaps>, kPhases - 1> taps_{};
    float rise_ = 1;
};

// Highest true peak of one channel, fed in pieces of any length. Where no sample is high enough to lead to a
// higher peak than the one that is known, nothing is interpolated: the result is the same.
class TruePeakMeter {
  public:
    void add(std::span<const float> x);
    // Amplitude; also of what the end of the sound leads to.
    [[nodiscard]] float finish();

  private:
    static constexpr std::size_t kPiece = 32;
    // Peaks of whole pieces; returns how many samples are done with.
    std::size_t look(std::span<const float> x);
    PeakInterpolator interpolator_;
    std::vector<float> line_ = std::vector<float>(PeakInterpolator::kTaps - 1, 0.0F);
    float highest_ = 0;
};

}  // namespace rivlen
