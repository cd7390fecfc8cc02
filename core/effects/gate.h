// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "core/dsp/envelope.h"
#include "core/effects/processor.h"

namespace rivlen {

// Downward expander: under the threshold the level falls by `ratio` dB for each dB, down to `range` at most.
// A gate is one with a high ratio. Peaks of both channels together decide; the gain is smoothed in dB.
class Gate : public Processor {
  public:
    explicit Gate(int sample_rate) : sample_rate_(sample_rate) {}
    void reset() override;
    void set(std::span<const double> values) override;
    void process(StereoBlock block) override;
    [[nodiscard]] double reduction_db() const override { return lowest_db_; }
    // Level out at a level in, in dB.
    [[nodiscard]] static double static_db(const ParameterBlock<EffectType::Gate>& values, double in_db);

  private:
    static constexpr double kDetectorReleaseMs = 10;
    double sample_rate_;
    ParameterBlock<EffectType::Gate> values_;
    AttackRelease level_;  // of the sound, linear
    AttackRelease open_;   // gain in dB: rises with the attack, falls with the release
    std::int64_t hold_ = 0, hold_frames_ = 0;
    double lowest_db_ = 0;
    double loud_ = 1;  // amplitude from which on it is open
};

}  // namespace rivlen
