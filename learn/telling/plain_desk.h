// SPDX-License-Identifier: GPL-3.0-or-later
// What plain sounds are made of (plain_sounds.h): a time line, noise, tones, blows, puffs. It shares nothing
// with learn/world/sound.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <random>
#include <span>
#include <vector>

namespace rivlen::learn::plain {

inline constexpr double kRate = 48000.0;
inline constexpr double kTurn = 2.0 * std::numbers::pi;
using Sound = std::vector<double>;

// The time line of one sound and its own chance.
struct Desk {
    Sound x;
    std::mt19937_64 chance;
    Desk(double seconds, std::uint64_t seed)
        : x(static_cast<std::size_t>(seconds * kRate), 0.0), chance(seed * 7919 + 17) {}
    double between(double low, double high) { return std::uniform_real_distribution<>(low, high)(chance); }
    double bell() { return std::normal_distribution<>()(chance); }
    [[nodiscard]] double length_s() const { return static_cast<double>(x.size()) / kRate; }
};

// A state-variable filter (Simper's trapezoidal form), for all colouring here.
struct Svf {
    double g, k, ic1 = 0, ic2 = 0, low = 0, band = 0, high = 0;
    Svf(double hz, double q) : g(std::tan(std::numbers::pi * std::min(hz, 22000.0) / kRate)), k(1.0 / q) {}
    void push(double v) {
        const double v1 = (g * (v - ic2) + ic1) / (1.0 + g * (g + k));
        const double v2 = ic2 + g * v1;
        ic1 = 2.0 * v1 - ic1;
        ic2 = 2.0 * v2 - ic2;
        low = v2;
        band = v1;
        high = v - k * v1 - v2;
    }
};

inline std::vector<float> finished(const Desk& d) {
    double peak = 1e-12;
    for (const double v : d.x) peak = std::max(peak, std::abs(v));
    std::vector<float> out(d.x.size());
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = static_cast<float>(0.25 * d.x[i] / peak);
    return out;
}

inline void hiss(Desk& d, double level) {
    for (double& v : d.x) v += level * d.bell();
}
// Coloured noise, its level following `level(t)`.
template <typename Level>
void breeze(Desk& d, double low_hz, double high_hz, const Level& level) {
    Svf top(high_hz, 0.7);
    Svf bottom(low_hz, 0.7);
    for (std::size_t i = 0; i < d.x.size(); ++i) {
        top.push(d.bell());
        bottom.push(top.low);
        d.x[i] += level(static_cast<double>(i) / kRate) * bottom.high;
    }
}
// Harmonics 1/h^tilt of a fundamental that follows hz(t), gated by level(t).
template <typename Hz, typename Level>
void tone(Desk& d, int harmonics, double tilt, const Hz& hz, const Level& level, double gain = 1.0) {
    double phase = 0.0;
    for (std::size_t i = 0; i < d.x.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        const double f = hz(t);
        phase = std::fmod(phase + kTurn * f / kRate, kTurn);
        const double l = level(t);
        if (l <= 0.0) continue;
        double sum = 0.0;
        for (int h = 1; h <= harmonics && h * f < 20000.0; ++h)
            sum += std::sin(h * phase + 1.7 * h * h) / std::pow(h, tilt);
        d.x[i] += gain * l * sum;
    }
}
inline double always(double) {
    return 1.0;
}
inline auto steady(double hz) {
    return [hz](double) { return hz; };
}
// 1 from `start` to `end`, with edges of 3 ms.
inline double gate(double t, double start, double end) {
    return std::clamp(std::min((t - start) / 0.003, (end - t) / 0.003), 0.0, 1.0);
}
inline auto pulses(double period, double on) {
    return [period, on](double t) { return gate(std::fmod(t, period), 0.0, on); };
}
// A struck thing: partials (Hz, gain, seconds to 1/e).
struct Partial {
    double hz, gain, fall_s;
};
inline void strike(Desk& d, double at_s, double gain, std::span<const Partial> partials) {
    const auto at = static_cast<std::size_t>(std::max(0.0, at_s) * kRate);
    for (std::size_t i = at; i < d.x.size(); ++i) {
        const double t = static_cast<double>(i - at) / kRate;
        if (t > 3.0) break;
        double sum = 0.0;
        for (const auto& p : partials) sum += p.gain * std::exp(-t / p.fall_s) * std::sin(kTurn * p.hz * t);
        d.x[i] += gain * sum * std::min(1.0, t / 0.0008);
    }
}
// A puff of noise around a frequency.
inline void puff(Desk& d, double at_s, double gain, double hz, double q, double fall_s) {
    Svf body(hz, q);
    const auto at = static_cast<std::size_t>(std::max(0.0, at_s) * kRate);
    for (std::size_t i = at; i < d.x.size(); ++i) {
        const double t = static_cast<double>(i - at) / kRate;
        if (t > 8.0 * fall_s) break;
        body.push(d.bell() * std::exp(-t / fall_s));
        d.x[i] += gain * body.band;
    }
}

inline double arch(double t, double start, double length) {
    const double u = (t - start) / length;
    return u <= 0.0 || u >= 1.0 ? 0.0 : std::sin(std::numbers::pi * u);
}

}  // namespace rivlen::learn::plain
