// SPDX-License-Identifier: GPL-3.0-or-later
// Hiss: steady broadband noise of tapes, preamplifiers and quiet rooms.
#pragma once

#include "core/effects/stft_processor.h"

namespace rivlen {

// Hiss has a level and a tilt that the first look measures in the pauses. Each bin is turned down by Wiener's
// gain of its signal-to-noise ratio, which is estimated decision-directed (Y. Ephraim, D. Malah, IEEE Trans.
// ASSP 32, 1984), never further than `at most`; what lies under "from" stays as it is. The noise is
// a line over octaves, or, with a noise print, what was measured, to a twelfth of an octave.
class HissRemover : public StftProcessor {
  public:
    explicit HissRemover(int sample_rate, std::size_t channels = 2);
    void set(std::span<const double> values) override;
    void set_noise_shape(std::span<const float> shape_db) override;
    // Level in dBFS of the third octave around 4 kHz of white noise with this density (power / Hz).
    [[nodiscard]] static double third_octave_db(double density);

  protected:
    void weigh(std::span<const float> power, std::span<float> gains) override;
    void forget_levels() override;

  private:
    void take_noise();
    ParameterBlock<EffectType::Hiss> values_;
    std::vector<float> shape_db_;  // its size is 0 or kNoisePlaces
    std::vector<float> noise_,
        before_;  // power of the noise; of the signal in the last frame, against the noise
    float floor_ = 0;
    std::size_t first_ = 0;
};

}  // namespace rivlen
