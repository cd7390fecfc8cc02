// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/dsp/biquad.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/envelope.h"
#include "core/dsp/running_extreme.h"
#include "core/effects/processor.h"

namespace rivlen {

// Feed-forward, with the gain worked out in dB and smoothed there, attack and release in one smoother:
// Giannoulis, Massberg, Reiss, "Digital Dynamic Range Compressor Design - A Tutorial and Analysis", J. Audio
// Eng. Soc. 60(6), 2012, eqs. 4 and 16.
//
// What it goes by (the key) is high-passed (12 dB per octave) from "listens from" on. The level of a side is
// its peak, or its RMS over "RMS over", on the scale on which a sine's RMS is its peak (AES17, from memory),
// and of that the highest of the last 10 ms, which is half a wave of 50 Hz: the gain stands still under the
// waves of a steady low voice instead of bending them, and releasing begins 10 ms late. With a link of 100 %
// all sides go by the loudest one, with 0 % each by itself, between by what lies between in dB. The sound is
// always 10 ms late, the key as much less as it looks ahead.
class Compressor : public Processor {
  public:
    explicit Compressor(int sample_rate, std::size_t channels = 2);
    [[nodiscard]] std::int64_t latency() const override { return static_cast<std::int64_t>(look_frames_); }
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;
    bool give_key(bool give) override;
    [[nodiscard]] double reduction_db() const override { return lowest_db_; }
    // Level out at a level in, in dB, make-up left out.
    [[nodiscard]] static double static_db(const ParameterBlock<EffectType::Compressor>& values, double in_db);

  private:
    // Power over the last frames, none: the peak.
    class Rms {
      public:
        explicit Rms(std::size_t most_frames) : squares_(most_frames, 0.0F) {}
        void reset();
        void set_frames(std::size_t frames);
        [[nodiscard]] float step(float x);

      private:
        void add_up();
        std::vector<float> squares_;  // ring
        std::size_t at_ = 0, frames_ = 0;
        double sum_ = 0;
    };
    struct Side {
        BiquadFilter filter;
        DelayLine sound;
        Rms rms;
        RunningMaximum level;
        AttackRelease reduction;  // in dB, 0 or more
        float asked_for = 0;      // level whose answer is known
        double answer_db = 0;
    };
    [[nodiscard]] double wanted_db(Side& side, float level) const;
    [[nodiscard]] float key_level(Side& side, float in, float& key);
    // The gain of a side, which is wanted to be so many dB lower.
    [[nodiscard]] float gain(Side& side, double reduction_db);
    double sample_rate_;
    std::size_t look_frames_;  // at most, which is how late the sound always is
    ParameterBlock<EffectType::Compressor> values_;
    std::vector<Side> sides_;
    std::size_t key_late_ = 0;  // frames
    bool filtered_ = false, give_key_ = false;
    float link_ = 1, link_target_ = 1;
    bool one_ = true;  // all sides go by the first one's level
    double lowest_db_ = 0;
    float make_up_ = 1, make_up_target_ = 1;
    float glide_;  // of the way there, a sample
    bool fresh_ = true;
    float quiet_ = 0;  // amplitude under which nothing is done
};

}  // namespace rivlen
