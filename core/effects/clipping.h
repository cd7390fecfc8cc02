// SPDX-License-Identifier: GPL-3.0-or-later
// Clipped peaks, rebuilt.
#pragma once

#include "core/dsp/linear_prediction.h"
#include "core/effects/overlap_add.h"

namespace rivlen {

// Samples at or beyond the clip level in runs of two or more are missing ones, of which is known that they
// lay beyond it: linear prediction fills them (Janssen et al. 1986, see autoregressive.h), twice, and those
// that come out inside the level are put onto it and the others solved again. What comes back may pass full
// scale.
class ClippingRepair : public OverlapAddProcessor {
  public:
    explicit ClippingRepair(int sample_rate, std::size_t channels = 2);
    void set(std::span<const double> values) override;

  protected:
    void work(ChannelBlock sound) override;
    void forget() override { std::ranges::fill(rebuilt_, 0U); }

  private:
    static constexpr std::size_t kOrder = 36;
    void repair(std::span<float> sound, std::size_t& rebuilt);
    double level_ = 1, most_ = 2;  // amplitudes
    ParameterBlock<EffectType::Clipping> values_;
    LinearPredictor predictor_;
    ArInterpolator interpolator_;
    std::vector<float> was_;
    std::vector<std::size_t> missing_, open_;
    std::vector<std::size_t>
        rebuilt_;  // a channel each: frames at the head of the window that are done already
};

}  // namespace rivlen
