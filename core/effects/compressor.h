// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "core/dsp/biquad.h"
#include "core/dsp/envelope.h"
#include "core/dsp/running_extreme.h"
#include "core/effects/processor.h"

namespace rivlen {

// Feed-forward, with the gain worked out in dB and smoothed there, attack and release in one smoother:
// Giannoulis, Massberg, Reiss, "Digital Dynamic Range Compressor Design - A Tutorial and Analysis", J. Audio
// Eng. Soc. 60(6), 2012, eqs. 4 and 16. Both channels get the gain of the louder one. The side chain is
// high-passed (12 dB per octave) from "listen from" on. The level is the highest of the last 10 ms, which is
// half a wave of 50 Hz: the gain stands still under the waves of a steady low voice instead of bending them,
// and releasing begins 10 ms late.
class Compressor : public Processor {
  public:
    explicit Compressor(int sample_rate);
    void reset() override;
    void set(std::span<const double> values) override;
    void process(StereoBlock block) override;
    [[nodiscard]] double reduction_db() const override { return lowest_db_; }
    // Level out at a level in, in dB, make-up left out.
    [[nodiscard]] static double static_db(const ParameterBlock<EffectType::Compressor>& values, double in_db);

  private:
    double sample_rate_;
    ParameterBlock<EffectType::Compressor> values_;
    std::array<BiquadFilter, kMixChannels> side_;
    RunningMaximum level_;
    AttackRelease reduction_;  // in dB, 0 or more
    double lowest_db_ = 0;
    float make_up_ = 1;
    float quiet_ = 0;  // amplitude under which nothing is done
};

}  // namespace rivlen
