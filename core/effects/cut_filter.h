// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <vector>

#include "core/dsp/biquad.h"
#include "core/effects/parameter_glide.h"
#include "core/effects/processor.h"

namespace rivlen {

// High-pass or low-pass: Butterworth of order 2, 4, 6 or 8 (12 to 48 dB per octave) as second-order sections;
// the pair k of order n has Q = 1 / (2 sin((2 k + 1) pi / (2 n))). A moved frequency glides; to another slope
// the sound is faded over 10 ms, from filters that have heard the last 50 ms, too.
class CutFilter : public Processor {
  public:
    // kind: HighPass or LowPass.
    CutFilter(EffectType kind, int sample_rate, std::size_t channels = 2);
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;
    // |H| at a frequency with these values, linear.
    [[nodiscard]] static double magnitude(EffectType kind, int sample_rate,
                                          const ParameterBlock<EffectType::HighPass>& values, double hz);

  private:
    static constexpr std::size_t kMostSections = 4;
    using Sections = std::array<Biquad, kMostSections>;
    struct Cascade {
        std::size_t count = 0;                                         // of sections
        std::vector<std::array<BiquadFilter, kMostSections>> filters;  // by channel
        [[nodiscard]] float step(std::size_t channel, float x);
    };
    static Sections sections(EffectType kind, int sample_rate, double hz, std::size_t count);
    void take_coefficients(Cascade& cascade) const;
    void change_slope(std::size_t count);
    void remember(ChannelBlock piece);
    void fade(ChannelBlock piece);
    EffectType kind_;
    int sample_rate_;
    ParameterGlide glide_;
    std::size_t wanted_ = 0;  // sections
    bool fresh_ = true;       // nothing has come through yet: values are taken at once
    Cascade now_, before_;
    float share_ = 1, share_step_;            // of now_; the rest is before_'s
    std::vector<std::vector<float>> recent_;  // rings of what came in
    std::size_t recent_at_ = 0;
};

}  // namespace rivlen
