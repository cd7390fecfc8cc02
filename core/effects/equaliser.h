// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <vector>

#include "core/dsp/biquad.h"
#include "core/effects/parameter_glide.h"
#include "core/effects/processor.h"

namespace rivlen {

// Low shelf, three bells, high shelf (R. Bristow-Johnson's cookbook). Bands at 0 dB are left out, so that a
// neutral equaliser changes nothing, to the bit. Values glide.
class Equaliser : public Processor {
  public:
    explicit Equaliser(int sample_rate, std::size_t channels = 2)
        : sample_rate_(sample_rate), glide_(EffectType::Equaliser, sample_rate), filters_(channels) {}
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;
    [[nodiscard]] static double magnitude(int sample_rate,
                                          const ParameterBlock<EffectType::Equaliser>& values, double hz);

  private:
    static constexpr std::size_t kBands = parameter::kEqBands;
    static Biquad band(int sample_rate, const ParameterBlock<EffectType::Equaliser>& values,
                       std::size_t index);
    void take_coefficients();
    int sample_rate_;
    ParameterGlide glide_;
    ParameterBlock<EffectType::Equaliser> values_;           // that the filters have
    std::vector<std::array<BiquadFilter, kBands>> filters_;  // by channel
};

}  // namespace rivlen
