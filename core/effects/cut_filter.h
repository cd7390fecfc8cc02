// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "core/dsp/biquad.h"
#include "core/effects/processor.h"

namespace rivlen {

// High-pass or low-pass: Butterworth of order 2, 4, 6 or 8 (12 to 48 dB per octave) as second-order sections;
// the pair k of order n has Q = 1 / (2 sin((2 k + 1) pi / (2 n))). A moved frequency is reached over 60 ms.
class CutFilter : public Processor {
  public:
    // kind: HighPass or LowPass.
    CutFilter(EffectType kind, int sample_rate) : kind_(kind), sample_rate_(sample_rate) {}
    void reset() override;
    void set(std::span<const double> values) override;
    void process(StereoBlock block) override;
    // |H| at a frequency with these values, linear.
    [[nodiscard]] static double magnitude(EffectType kind, int sample_rate,
                                          const ParameterBlock<EffectType::HighPass>& values, double hz);

  private:
    static constexpr std::size_t kMostSections = 4;
    using Sections = std::array<Biquad, kMostSections>;
    static Sections sections(EffectType kind, int sample_rate, double hz, std::size_t count);
    EffectType kind_;
    int sample_rate_;
    static constexpr int kGlideFrames = 4;  // between steps of a moving frequency
    void take_coefficients();
    double hz_ = 0, target_hz_ = 0, slope_ = 0;
    int until_step_ = kGlideFrames;
    std::size_t count_ = 0;
    std::array<std::array<BiquadFilter, kMostSections>, kMixChannels> filters_;
};

}  // namespace rivlen
