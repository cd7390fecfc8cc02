// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/dsp/biquad.h"
#include "core/dsp/envelope.h"
#include "core/effects/processor.h"

namespace rivlen {

// The band's level (through a band-pass) against the level of the whole: where it passes the threshold the
// band is turned down by the excess, `most` dB at most. y = x + (g - 1) bandpass(x) is a bell of gain g, and
// x itself where g = 1. Levels are RMS with 1 ms up and 30 ms down. Comparing with the whole makes it
// independent of how loud the voice is; ours.
//
// With "follows" the bell moves to where this talker's s lies: the root mean square frequency of the band
// while it hisses (from the power of its first difference), over half a second of such sound. At 100 % it
// sits there and is half as wide, at 0 it stays in the middle of the band.
class DeEsser : public Processor {
  public:
    explicit DeEsser(int sample_rate, std::size_t channels = 2);
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;
    [[nodiscard]] double reduction_db() const override { return lowest_db_; }
    // |H| at a frequency when the band is turned down by `reduction_db`.
    [[nodiscard]] static double magnitude(int sample_rate, const ParameterBlock<EffectType::DeEsser>& values,
                                          double reduction_db, double hz);

  private:
    static constexpr double kUpMs = 1, kDownMs = 30;
    static constexpr double kSilence = 1e-7;  // power, -70 dBFS: softer hiss is left alone
    static constexpr double kTrackSeconds = 0.5;
    static constexpr int kTrackFrames = 256;  // between two moves of the bell
    static Biquad band(int sample_rate, const ParameterBlock<EffectType::DeEsser>& values);
    void track(std::span<const float> part, bool hisses);
    void place_bell();
    int sample_rate_;
    ParameterBlock<EffectType::DeEsser> values_;
    std::vector<BiquadFilter> filters_, bells_;
    std::vector<float> last_;                  // of the band
    double power_ = 0, difference_power_ = 0;  // of the band while it hisses
    double track_part_, bell_hz_ = 0, follow_ = 0;
    int until_move_ = kTrackFrames;
    AttackRelease band_, whole_, reduction_;
    double lowest_db_ = 0;
    double share_ = 1;  // of the power, from which on the band is turned down
};

}  // namespace rivlen
