// SPDX-License-Identifier: GPL-3.0-or-later
// Clicks: single disturbances of a few samples to some milliseconds, mouth noise among them.
#pragma once

#include "core/dsp/linear_prediction.h"
#include "core/effects/overlap_add.h"

namespace rivlen {

// A click stands out of what linear prediction expects: its error is large against that of the stretch, and
// against the largest one before and behind it, which pulses of a voice, one period apart and alike, are not.
// What it covers is interpolated from both sides (S. J. Godsill, P. J. W. Rayner, "Digital Audio
// Restoration", Springer 1998, chapters 4 and 5; the comparison with its neighbourhood is ours).
class ClickRemover : public OverlapAddProcessor {
  public:
    explicit ClickRemover(int sample_rate, std::size_t channels = 2);
    void set(std::span<const double> values) override;
    // Clicks repaired since the last reset.
    [[nodiscard]] std::size_t repaired() const { return repaired_; }

  protected:
    void work(ChannelBlock sound) override;
    void forget() override { repaired_ = 0; }

  private:
    static constexpr std::size_t kOrder = 32;
    bool is_click(std::size_t at, double typical) const;
    [[nodiscard]] float loudest_around(std::span<const float> sound, std::size_t at) const;
    void repair(std::span<float> sound);
    double rate_;
    ParameterBlock<EffectType::Clicks> values_;
    double over_ = 4;
    std::size_t longest_ = 0, near_ = 0, far_ = 0, apart_ = 0;  // frames
    LinearPredictor predictor_;
    ArInterpolator interpolator_;
    std::vector<float> error_, sorted_;
    std::vector<std::size_t> missing_;
    std::size_t repaired_ = 0;
};

}  // namespace rivlen
