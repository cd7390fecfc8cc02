// SPDX-License-Identifier: GPL-3.0-or-later
// How the values of a part that calculates coefficients from them move: not at once, but in small steps.
#pragma once

#include <array>
#include <span>

#include "core/effects/inserts.h"

namespace rivlen {

// The values of one part on their way: over 40 ms, evenly in dB and as they are, frequencies and Q by ratios.
// Steps of 8 frames do not depend on how the sound is cut into blocks. Does not allocate.
class ParameterGlide {
  public:
    ParameterGlide(EffectType kind, int sample_rate);
    // The first values after the beginning or after a reset are there at once.
    void set(std::span<const double> values);
    void reset();
    [[nodiscard]] std::span<const double> values() const { return std::span(now_).first(count_); }
    // How many of `frames` pass before the values change.
    [[nodiscard]] std::size_t unchanged(std::size_t frames) const;
    // So many frames have passed, as many as `unchanged` said at most; true when the values have changed.
    [[nodiscard]] bool pass(std::size_t frames);

  private:
    static constexpr std::size_t kStepFrames = 8;
    std::size_t count_;
    std::array<bool, kMostParameters> by_ratio_{};
    std::array<double, kMostParameters> now_{}, target_{};
    int steps_;      // of a whole way
    int to_go_ = 0;  // steps that are left of it
    std::size_t until_step_ = kStepFrames;
    bool begun_ = false;
};

}  // namespace rivlen
