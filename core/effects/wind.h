// SPDX-License-Identifier: GPL-3.0-or-later
// Rumble of wind at a microphone.
#pragma once

#include "core/effects/stft_processor.h"

namespace rivlen {

// Wind is strongest at the lowest frequencies and falls steeply above (E. Nemer, W. Leblanc,
// "Single-microphone wind noise reduction by adaptive postfiltering", WASPAA 2009, describe its spectrum).
// What lies between 20 and 48 Hz, where a voice has next to nothing, tells its level frame by frame; a line
// falling from there by so many dB an octave tells how much of each bin up to the reach is wind, and is
// subtracted in power. Where the lows do not stand out against the voice's band over half a second nothing
// changes.
class WindRemover : public StftProcessor {
  public:
    explicit WindRemover(int sample_rate, std::size_t channels = 2);
    void set(std::span<const double> values) override;
    // Frames of the spectrum since the last reset, and those among them in which there was wind.
    [[nodiscard]] std::size_t frames() const { return frames_; }
    [[nodiscard]] std::size_t windy() const { return windy_; }

  protected:
    void weigh(std::span<const float> power, std::span<float> gains) override;
    void forget_levels() override;

  private:
    ParameterBlock<EffectType::Wind> values_;
    std::size_t low_first_, low_last_, voice_first_, voice_last_;
    double voice_ = 0, presence_ = 0, keep_, floor_ = 0;
    std::vector<float> smooth_, fall_;
    std::size_t frames_ = 0, windy_ = 0;
};

}  // namespace rivlen
