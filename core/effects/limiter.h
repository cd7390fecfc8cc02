// SPDX-License-Identifier: GPL-3.0-or-later
// Look-ahead limiter for true peaks.
#pragma once

#include <vector>

#include "core/dsp/running_extreme.h"
#include "core/dsp/true_peak.h"
#include "core/effects/processor.h"

namespace rivlen {

// Peaks are those of core/dsp/true_peak.h. The gain that each needs is held over the look-ahead (running
// minimum), comes back exponentially, and is smoothed by a mean over the look-ahead: at the peak itself it is
// then at most what the peak needs. All channels get the same gain.
class Limiter : public Processor {
  public:
    explicit Limiter(int sample_rate, std::size_t channels = 2);
    [[nodiscard]] std::int64_t latency() const override;
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;
    [[nodiscard]] double reduction_db() const override;

    // The peak is measured 4 times as finely as samples lie; what may rise between is kept off by this much.
    static constexpr double kMarginDb = 0.1;

  private:
    float needed(float peak);
    double sample_rate_;
    std::size_t look_;  // frames
    float drive_ = 1, drive_target_ = 1,
          glide_;        // the gain before the limiter moves so much of its way a sample
    bool fresh_ = true;  // nothing has come through yet
    float ceiling_ = 1, back_ = 0;
    std::size_t soft_ = 0;  // how many samples in a row cannot lead to a peak beyond the ceiling
    PeakInterpolator interpolator_;
    std::size_t idle_ = 0;                  // for how many samples nothing was held down
    std::vector<std::vector<float>> line_;  // what is delayed, twice, so that reads need no wrap
    std::size_t at_ = 0;                    // next to write in line_
    RunningMinimum lowest_gain_;
    float held_ = 1;
    std::vector<float> mean_;  // ring of held gains
    std::size_t mean_at_ = 0;
    double sum_ = 0;
    float lowest_ = 1;
};

}  // namespace rivlen
