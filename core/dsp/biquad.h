// SPDX-License-Identifier: GPL-3.0-or-later
// Second-order filters after R. Bristow-Johnson, "Cookbook formulae for audio equalizer biquad filter
// coefficients".
#pragma once

#include <span>

namespace rivlen {

struct Biquad {
    // y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]
    double b0 = 1, b1 = 0, b2 = 0, a1 = 0, a2 = 0;

    // frequency_hz is kept below 0.49 of the rate; q > 0.
    [[nodiscard]] static Biquad low_pass(double sample_rate, double frequency_hz, double q);
    [[nodiscard]] static Biquad high_pass(double sample_rate, double frequency_hz, double q);
    [[nodiscard]] static Biquad band_pass(double sample_rate, double frequency_hz,
                                          double q);  // 0 dB at the peak
    [[nodiscard]] static Biquad peaking(double sample_rate, double frequency_hz, double q, double gain_db);
    [[nodiscard]] static Biquad low_shelf(double sample_rate, double frequency_hz, double gain_db);
    [[nodiscard]] static Biquad high_shelf(double sample_rate, double frequency_hz, double gain_db);
    // |H| at a frequency, linear.
    [[nodiscard]] double magnitude(double sample_rate, double frequency_hz) const;
};

// A filter with its memory: direct form I, whose memory is past input and output, so that coefficients may
// move while it runs: what passes both before and after comes through undisturbed.
class BiquadFilter {
  public:
    BiquadFilter() = default;
    explicit BiquadFilter(const Biquad& coefficients) : c_(coefficients) {}
    void set(const Biquad& coefficients) { c_ = coefficients; }
    void reset() { x1_ = x2_ = y1_ = y2_ = 0; }
    [[nodiscard]] float step(float x) {
        const auto in = static_cast<double>(x);
        const double y = c_.b0 * in + c_.b1 * x1_ + c_.b2 * x2_ - c_.a1 * y1_ - c_.a2 * y2_;
        x2_ = x1_;
        x1_ = in;
        y2_ = y1_;
        y1_ = y;
        return static_cast<float>(y);
    }
    void process(std::span<float> samples) {
        for (float& x : samples) x = step(x);
    }

  private:
    Biquad c_;
    double x1_ = 0, x2_ = 0, y1_ = 0, y2_ = 0;
};

}  // namespace rivlen
