// SPDX-License-Identifier: GPL-3.0-or-later
// Mains hum: a steady tone and its harmonics, found under the voice and subtracted.
#pragma once

#include <algorithm>
#include <complex>
#include <vector>

#include "core/effects/overlap_add.h"

namespace rivlen {

// Each harmonic's complex amplitude is measured over Hann windows of 0.2 s at every 0.1 s. What stays put in
// amplitude and phase over seconds is hum: the coherence of the last measurements decides, each weighted by
// how little else sounds at the time, so that pauses of a voice count most. The turning of the phases says by
// how much the frequency is off, and it is followed. The tone that fits is subtracted; nothing else is
// filtered, and where no steady tone is found nothing changes. (Method ours; the heterodyne is that of any
// lock-in amplifier.)
class HumRemover : public OverlapAddProcessor {
  public:
    explicit HumRemover(int sample_rate, std::size_t channels = 2);
    void set(std::span<const double> values) override;

  protected:
    void work(ChannelBlock sound) override;
    void forget() override;

  private:
    static constexpr std::size_t kHarmonics = 30;
    // The hop that leaves lies in the middle of what is remembered.
    static constexpr std::size_t kHops = 16, kMemory = 32;
    using Amplitude = std::complex<double>;
    // By harmonic and channel.
    class Amplitudes {
      public:
        explicit Amplitudes(std::size_t channels) : channels_(channels), all_(kHarmonics * channels) {}
        [[nodiscard]] std::span<Amplitude> operator[](std::size_t harmonic) {
            return std::span(all_).subspan(harmonic * channels_, channels_);
        }
        [[nodiscard]] std::span<const Amplitude> operator[](std::size_t harmonic) const {
            return std::span(all_).subspan(harmonic * channels_, channels_);
        }
        void clear() { std::ranges::fill(all_, Amplitude()); }

      private:
        std::size_t channels_;
        std::vector<Amplitude> all_;
    };
    void measure(const ChannelBlock& sound, Amplitudes& out) const;
    void subtract(ChannelBlock sound, double amount) const;
    void weigh();
    void follow();
    double rate_;
    ParameterBlock<EffectType::Hum> values_;
    std::size_t harmonics_ = 0;
    double frequency_ = 0;                    // followed
    std::vector<double> hann_;                // two hops
    std::vector<Amplitudes> memory_;          // ring of kMemory; phases as of the newest hop's frequency
    std::array<double, kMemory> loudness_{};  // power of everything at the time
    std::array<double, kMemory> weight_{};
    std::size_t at_ = 0, filled_ = 0;
    std::array<double, kHarmonics> share_{};  // of each harmonic that is subtracted, smoothed
    Amplitudes now_, before_;                 // what fits, for the hop that leaves and the one before it
    std::array<double, kHops> phases_{};      // at the beginning of each hop in the window, in turns
    std::array<double, kHops> frequencies_{};
    std::vector<std::complex<double>> carrier_;  // of one hop
};

}  // namespace rivlen
