// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/dsp/biquad.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/envelope.h"
#include "core/effects/processor.h"

namespace rivlen {

// Downward expander: under the threshold the level falls by `ratio` dB for each dB, down to `range` at most.
// A gate is one with a high ratio. It goes by peaks of all sides together (the key), high- and low-passed by
// 12 dB per octave each. It opens at the threshold and closes `hysteresis` dB under it, so that a level that
// stays near the threshold does not make it flutter; the gain is smoothed in dB. The sound is always 10 ms
// late, the key as much less as it looks ahead.
class Gate : public Processor {
  public:
    explicit Gate(int sample_rate, std::size_t channels = 2);
    [[nodiscard]] std::int64_t latency() const override { return static_cast<std::int64_t>(look_frames_); }
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;
    bool give_key(bool give) override;
    [[nodiscard]] double reduction_db() const override { return lowest_db_; }
    // Level out at a level in, in dB, while it is closed.
    [[nodiscard]] static double static_db(const ParameterBlock<EffectType::Gate>& values, double in_db);

  private:
    struct Side {
        BiquadFilter low, high;  // edges of what it hears
        DelayLine sound;
    };
    static constexpr double kDetectorReleaseMs = 10;
    [[nodiscard]] double wanted_db(double level);
    double sample_rate_;
    std::size_t look_frames_;  // at most, which is how late the sound always is
    ParameterBlock<EffectType::Gate> values_;
    std::vector<Side> sides_;
    std::size_t key_late_ = 0;  // frames
    bool low_ = false, high_ = false, give_key_ = false;
    AttackRelease level_;  // of the key, linear
    AttackRelease gain_;   // in dB: rises with the attack, falls with the release
    bool open_ = false;
    std::int64_t hold_ = 0, hold_frames_ = 0;
    double lowest_db_ = 0;
    double opens_ = 1, closes_ = 1;  // amplitudes
};

}  // namespace rivlen
