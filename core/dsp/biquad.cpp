// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/biquad.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace rivlen {

namespace {

struct Angle {
    double cosine, alpha;
};
double angular(double sample_rate, double frequency_hz) {
    return 2.0 * std::numbers::pi * std::clamp(frequency_hz / sample_rate, 1e-6, 0.49);
}
Angle angle(double sample_rate, double frequency_hz, double q) {
    const double w = angular(sample_rate, frequency_hz);
    return {std::cos(w), std::sin(w) / (2.0 * q)};
}
Biquad scaled(double b0, double b1, double b2, double a0, double a1, double a2) {
    return {b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0};
}
constexpr double kButterworthQ = 0.70710678118654752;

}  // namespace

Biquad Biquad::low_pass(double sample_rate, double frequency_hz, double q) {
    const auto [c, alpha] = angle(sample_rate, frequency_hz, q);
    return scaled((1 - c) / 2, 1 - c, (1 - c) / 2, 1 + alpha, -2 * c, 1 - alpha);
}

Biquad Biquad::high_pass(double sample_rate, double frequency_hz, double q) {
    const auto [c, alpha] = angle(sample_rate, frequency_hz, q);
    return scaled((1 + c) / 2, -(1 + c), (1 + c) / 2, 1 + alpha, -2 * c, 1 - alpha);
}

Biquad Biquad::band_pass(double sample_rate, double frequency_hz, double q) {
    const auto [c, alpha] = angle(sample_rate, frequency_hz, q);
    return scaled(alpha, 0, -alpha, 1 + alpha, -2 * c, 1 - alpha);
}

Biquad Biquad::peaking(double sample_rate, double frequency_hz, double q, double gain_db) {
    const auto [c, alpha] = angle(sample_rate, frequency_hz, q);
    const double a = std::pow(10.0, gain_db / 40.0);
    return scaled(1 + alpha * a, -2 * c, 1 - alpha * a, 1 + alpha / a, -2 * c, 1 - alpha / a);
}

Biquad Biquad::low_shelf(double sample_rate, double frequency_hz, double gain_db) {
    const auto [c, alpha] = angle(sample_rate, frequency_hz, kButterworthQ);
    const double a = std::pow(10.0, gain_db / 40.0);
    const double s = 2 * std::sqrt(a) * alpha;
    return scaled(a * ((a + 1) - (a - 1) * c + s), 2 * a * ((a - 1) - (a + 1) * c),
                  a * ((a + 1) - (a - 1) * c - s), (a + 1) + (a - 1) * c + s, -2 * ((a - 1) + (a + 1) * c),
                  (a + 1) + (a - 1) * c - s);
}

Biquad Biquad::high_shelf(double sample_rate, double frequency_hz, double gain_db) {
    const auto [c, alpha] = angle(sample_rate, frequency_hz, kButterworthQ);
    const double a = std::pow(10.0, gain_db / 40.0);
    const double s = 2 * std::sqrt(a) * alpha;
    return scaled(a * ((a + 1) + (a - 1) * c + s), -2 * a * ((a - 1) + (a + 1) * c),
                  a * ((a + 1) + (a - 1) * c - s), (a + 1) - (a - 1) * c + s, 2 * ((a - 1) - (a + 1) * c),
                  (a + 1) - (a - 1) * c - s);
}

double Biquad::magnitude(double sample_rate, double frequency_hz) const {
    const std::complex<double> z = std::polar(1.0, -2.0 * std::numbers::pi * frequency_hz / sample_rate);
    return std::abs((b0 + b1 * z + b2 * z * z) / (1.0 + a1 * z + a2 * z * z));
}

}  // namespace rivlen
