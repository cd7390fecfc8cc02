// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/world/sound.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "learn/corpus.h"

namespace rivlen::learn {

namespace {

// exp(scale * u) for a random u that wanders within +-1.
Samples slow_course(std::size_t frames, double seconds, double scale, Rng& rng) {
    Samples curve(frames);
    const auto step = std::max<std::size_t>(frames_of(seconds), 64);
    double from = rng.uniform(-1.0, 1.0);
    double to = rng.uniform(-1.0, 1.0);
    std::size_t within = rng.below(step);
    for (std::size_t i = 0; i < frames; ++i) {
        if ((i & 31U) == 0) {
            const double part = 0.5 - 0.5 * std::cos(std::numbers::pi * static_cast<double>(within) /
                                                     static_cast<double>(step));
            curve[i] = static_cast<float>(std::exp(scale * (from + (to - from) * part)));
        } else {
            curve[i] = curve[i - 1];
        }
        if (++within >= step) {
            within = 0;
            from = to;
            to = rng.uniform(-1.0, 1.0);
        }
    }
    return curve;
}

}  // namespace

std::size_t frames_of(double seconds) {
    return static_cast<std::size_t>(std::max(0.0, seconds) * kCorpusRate);
}

Samples noise(std::size_t frames, Rng& rng) {
    Samples out(frames);
    for (float& x : out) x = rng.noise();
    return out;
}

void filter(Samples& x, const Biquad& coefficients) {
    BiquadFilter(coefficients).process(x);
}

void multiply(Samples& x, const Samples& curve) {
    for (std::size_t i = 0; i < x.size(); ++i) x[i] *= curve[i];
}

void add(Samples& to, const Samples& from, float gain) {
    for (std::size_t i = 0; i < to.size(); ++i) to[i] += gain * from[i];
}

Samples slow_curve(std::size_t frames, double seconds, double depth_db, Rng& rng) {
    return slow_course(frames, seconds, depth_db * std::numbers::ln10 / 20.0, rng);
}

Samples slow_pitch(std::size_t frames, double seconds, double depth_cents, Rng& rng) {
    return slow_course(frames, seconds, depth_cents * std::numbers::ln2 / 1200.0, rng);
}

Wavetable::Wavetable(const std::vector<double>& gains, Rng& rng) : table_(kSize + 1, 0.0F) {
    for (std::size_t h = 0; h < gains.size(); ++h) {
        const double phase = rng.uniform(0.0, kTwoPi);
        for (std::size_t i = 0; i <= kSize; ++i) {
            const double along = kTwoPi * static_cast<double>((h + 1) * i % kSize) / kSize;
            table_[i] += static_cast<float>(gains[h] * std::sin(along + phase));
        }
    }
}

float Wavetable::at(double phase) const {
    const double place = phase * kSize;
    const auto i = std::min(static_cast<std::size_t>(place), kSize - 1);
    const auto part = static_cast<float>(place - static_cast<double>(i));
    return table_[i] + part * (table_[i + 1] - table_[i]);
}

void Wavetable::play(Samples& to, double f0_hz, const Samples& pitch, float gain) const {
    double phase = 0.0;
    const double step = f0_hz / kCorpusRate;
    for (std::size_t i = 0; i < to.size(); ++i) {
        to[i] += gain * at(phase);
        phase += pitch.empty() ? step : step * static_cast<double>(pitch[i]);
        phase -= std::floor(phase);
    }
}

std::vector<double> harmonic_gains(double f0_hz, int count, double slope_db, Rng& rng) {
    constexpr double kHighestHz = 18000.0;
    std::vector<double> gains;
    for (int h = 1; h <= count && h * f0_hz < kHighestHz; ++h)
        gains.push_back(std::pow(10.0, (slope_db * std::log2(h) + rng.uniform(-8.0, 4.0)) / 20.0));
    return gains;
}

void burst(Samples& to, std::size_t at, double gain, double centre_hz, double q, double decay, Rng& rng) {
    if (at >= to.size()) return;
    BiquadFilter body(Biquad::band_pass(kCorpusRate, std::clamp(centre_hz, 20.0, 20000.0), q));
    const auto length = std::min(to.size() - at, frames_of(7.0 / decay));
    const auto step = static_cast<float>(std::exp(-decay / kCorpusRate));
    auto envelope = static_cast<float>(gain);
    for (std::size_t i = 0; i < length; ++i, envelope *= step)
        to[at + i] += body.step(envelope * rng.noise());
}

void ring(Samples& to, std::size_t at, double gain, double frequency_hz, double glide_hz_per_s, double decay,
          double seconds) {
    constexpr float kAttack = 96.0F;  // 2 ms
    constexpr float kRelease = 240.0F;
    if (at >= to.size()) return;
    const auto length = std::min(to.size() - at, frames_of(std::min(7.0 / std::max(decay, 0.1), seconds)));
    const auto step = static_cast<float>(std::exp(-decay / kCorpusRate));
    auto envelope = static_cast<float>(gain);
    double phase = 0.0;
    for (std::size_t i = 0; i < length; ++i, envelope *= step) {
        const float in = std::min(1.0F, static_cast<float>(i) / kAttack);
        const float out = std::min(1.0F, static_cast<float>(length - i) / kRelease);
        to[at + i] += envelope * in * out * std::sin(static_cast<float>(phase));
        phase +=
            kTwoPi * (frequency_hz + glide_hz_per_s * static_cast<double>(i) / kCorpusRate) / kCorpusRate;
        if (phase > kTwoPi) phase -= kTwoPi;
    }
}

Body::Body(double lowest_hz, double decay, Rng& rng) {
    const int count = rng.between(3, 10);
    for (int i = 0; i < count; ++i) {
        const double ratio = i == 0 ? 1.0 : rng.log_uniform(1.1, 9.0);
        modes_.push_back(
            {std::min(lowest_hz * ratio, 16000.0), rng.log_uniform(0.1, 1.0), decay * std::sqrt(ratio)});
    }
}

void Body::strike(Samples& to, std::size_t at, double gain) const {
    for (const Mode& mode : modes_) ring(to, at, gain * mode.gain, mode.frequency_hz, 0.0, mode.decay, 2.5);
}

}  // namespace rivlen::learn
