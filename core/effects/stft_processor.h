// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs that turn bins of a short-time spectrum down.
#pragma once

#include "core/dsp/stft.h"
#include "core/effects/overlap_add.h"

namespace rivlen {

// One gain a bin for all channels, so that the image stays where it is. With gains of 1 the sound comes
// through as it was (square-root Hann windows, 75 % overlap).
class StftProcessor : public OverlapAddProcessor {
  public:
    // Windows of about `seconds`, a power of two.
    StftProcessor(int sample_rate, double seconds, std::size_t channels);

  protected:
    void work(ChannelBlock sound) final;
    void forget() final;
    // power: mean of the channels' |X|^2 a bin, scaled so that a full-scale sine has 1 at its bin and noise
    // with a density of d / Hz has d * power_of_density(). gains: 1 on entry.
    virtual void weigh(std::span<const float> power, std::span<float> gains) = 0;
    virtual void forget_levels() = 0;
    [[nodiscard]] std::size_t bins() const { return gains_.size(); }
    [[nodiscard]] double hz_of(std::size_t bin) const;
    [[nodiscard]] std::size_t bin_of(double hz) const;
    [[nodiscard]] double hop_seconds() const { return static_cast<double>(hop()) / rate_; }
    // Of noise with a density of 1 / Hz.
    [[nodiscard]] double power_of_density() const { return density_; }

  private:
    double rate_;
    Stft stft_;
    double density_ = 0;
    float scale_ = 1;
    std::vector<std::vector<Complex>> spectra_;
    std::vector<std::vector<float>> sum_;
    std::vector<float> power_, gains_;
};

}  // namespace rivlen
