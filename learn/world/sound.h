// SPDX-License-Identifier: GPL-3.0-or-later
// What synthesised sound is made of: noise, curves, harmonic tones, blows and rings. All at kCorpusRate.
#pragma once

#include <array>
#include <cstddef>
#include <numbers>
#include <vector>

#include "core/base/rng.h"
#include "core/dsp/biquad.h"

namespace rivlen::learn {

using Samples = std::vector<float>;
inline constexpr double kTwoPi = 2.0 * std::numbers::pi;

[[nodiscard]] std::size_t frames_of(double seconds);
[[nodiscard]] Samples noise(std::size_t frames, Rng& rng);  // unit power
void filter(Samples& x, const Biquad& coefficients);
void multiply(Samples& x, const Samples& curve);
void add(Samples& to, const Samples& from, float gain = 1.0F);

// A slow random curve around 1: random levels within +-depth_db, so many seconds apart, joined by cosines.
[[nodiscard]] Samples slow_curve(std::size_t frames, double seconds, double depth_db, Rng& rng);
// The same for pitch: factors within +-depth_cents.
[[nodiscard]] Samples slow_pitch(std::size_t frames, double seconds, double depth_cents, Rng& rng);

// One period of a harmonic sound, to be read at any pitch.
class Wavetable {
  public:
    // gains: of the harmonics from the fundamental on; phases are random.
    Wavetable(const std::vector<double>& gains, Rng& rng);
    // Adds the tone: frequency at every sample f0_hz * pitch[i] (all ones when pitch is empty).
    void play(Samples& to, double f0_hz, const Samples& pitch, float gain) const;
    [[nodiscard]] float at(double phase) const;  // phase in periods, 0 <= phase < 1

  private:
    static constexpr std::size_t kSize = 4096;
    Samples table_;
};
// Gains of `count` harmonics that fall by slope_db an octave, each off by up to +4 / -8 dB, none above 18
// kHz.
[[nodiscard]] std::vector<double> harmonic_gains(double f0_hz, int count, double slope_db, Rng& rng);

// A blow: noise through a band, dying away with exp(-decay t).
void burst(Samples& to, std::size_t at, double gain, double centre_hz, double q, double decay, Rng& rng);
// A tone that dies away; its frequency moves by glide_hz_per_s. It ends, faded out, after `seconds` at the
// latest.
void ring(Samples& to, std::size_t at, double gain, double frequency_hz, double glide_hz_per_s, double decay,
          double seconds);

// A struck body: modes that have no common fundamental.
class Body {
  public:
    Body(double lowest_hz, double decay, Rng& rng);
    void strike(Samples& to, std::size_t at, double gain) const;

  private:
    struct Mode {
        double frequency_hz, gain, decay;
    };
    std::vector<Mode> modes_;
};

}  // namespace rivlen::learn
