// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <vector>

#include "core/effects/processor.h"

namespace rivlen {

// A feedback delay network of eight lines with a Hadamard matrix (Stautner and Puckette, "Designing
// multi-channel reverberators", Computer Music J. 6(1), 1982); every line's gain follows from the decay (Jot
// and Chaigne, "Digital delay networks for designing artificial reverberators", AES 90th Convention, 1991): g
// = 10^(-3 length / (decay rate)). The voice itself passes unchanged. Level, decay and damping glide, and
// another delay is faded to, within 20 ms.
class Reverb : public Processor {
  public:
    explicit Reverb(int sample_rate, std::size_t channels = 2);
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;

  private:
    void settle();  // nothing glides any more
    static constexpr std::size_t kLines = 8;
    double sample_rate_;
    ParameterBlock<EffectType::Reverb> values_;
    std::array<std::vector<float>, kLines> lines_;
    std::array<std::size_t, kLines> at_{};
    std::array<float, kLines> gain_{}, gain_target_{}, low_{};
    float damp_ = 0, damp_target_ = 0, level_ = 0, level_target_ = 0;
    float glide_;  // of the way to a target, a sample
    float share_;  // of each channel in what a line is fed, so that more of them do not make a louder room
    std::vector<std::vector<float>> before_;  // the delay from the voice to the room
    std::size_t before_at_ = 0;
    // The delay that is heard, the one that it goes over to, and how far that is: 1 when it is there.
    std::size_t before_frames_ = 0, before_target_ = 0, wanted_before_ = 0;
    float before_share_ = 1, before_step_;
    bool begun_ = false;
};

}  // namespace rivlen
