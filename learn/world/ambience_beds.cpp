// SPDX-License-Identifier: GPL-3.0-or-later
// Ambience that goes on: weather, machines, textures.
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "learn/corpus.h"
#include "learn/world/ambience.h"

namespace rivlen::learn {

namespace {

void wind(const AmbienceDraw& d) {
    auto x = noise(d.out.size(), d.own);
    filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(60, 400), 0.6));
    filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(150, 1200), d.course.uniform(0.6, 1.5)));
    multiply(x, slow_curve(x.size(), d.course.uniform(0.15, 0.8), d.course.uniform(4, 12), d.own));
    auto howl = noise(x.size(), d.own);
    filter(howl, Biquad::band_pass(kCorpusRate, d.course.log_uniform(200, 900), d.course.uniform(3, 12)));
    multiply(howl, slow_curve(x.size(), 0.6, 10, d.own));
    add(x, howl, static_cast<float>(d.course.uniform(0.0, 0.15)));
    add(d.out, x);
}

// Low and slow, with nothing above: far traffic, a building, the sea behind a hill.
void rumble(const AmbienceDraw& d) {
    auto x = noise(d.out.size(), d.own);
    const double top_hz = d.course.log_uniform(50, 900);
    for (int pass = 0; pass < d.course.between(1, 3); ++pass)
        filter(x, Biquad::low_pass(kCorpusRate, top_hz, d.course.uniform(0.5, 1.4)));
    filter(x, Biquad::high_pass(kCorpusRate, d.course.log_uniform(15, 40), 0.7));
    multiply(x, slow_curve(x.size(), d.course.log_uniform(0.2, 3.0), d.course.uniform(1, 14), d.course));
    add(d.out, x);
}

void traffic(const AmbienceDraw& d) {
    auto x = noise(d.out.size(), d.own);
    filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(150, 900), 0.6));
    multiply(x, slow_curve(x.size(), 1.5, 6, d.course));
    auto tyres = noise(x.size(), d.own);
    filter(tyres, Biquad::band_pass(kCorpusRate, d.course.log_uniform(500, 1800), 0.5));
    multiply(tyres, slow_curve(x.size(), d.course.uniform(0.8, 2.5), 10, d.course));
    add(x, tyres, static_cast<float>(d.course.uniform(0.05, 0.5)));
    const double f0_hz = d.course.uniform(22, 90);
    const Wavetable engine(harmonic_gains(f0_hz, 9, -5.0, d.course), d.course);
    engine.play(x, f0_hz, slow_pitch(x.size(), 0.7, d.course.log_uniform(1, 160), d.course),
                static_cast<float>(d.course.uniform(0.0, 0.06)));
    add(d.out, x);
}

void rain(const AmbienceDraw& d) {
    const std::size_t n = d.out.size();
    auto x = noise(n, d.own);
    filter(x, Biquad::high_pass(kCorpusRate, d.course.log_uniform(300, 2500), 0.6));
    filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(5000, 20000), 0.6));
    multiply(x, slow_curve(n, 1.0, 2, d.course));
    const int drops = static_cast<int>(static_cast<double>(n) / kCorpusRate * d.course.log_uniform(5, 80));
    for (int i = 0; i < drops; ++i)
        ring(x, d.own.below(n), d.own.log_uniform(0.3, 4.0), d.own.log_uniform(800, 7000), 0.0,
             d.own.log_uniform(80, 900), 0.04);
    add(d.out, x);
}

void ventilation(const AmbienceDraw& d) {
    const std::size_t n = d.out.size();
    auto x = noise(n, d.own);
    filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(200, 3000), 0.5));
    filter(x, Biquad::peaking(kCorpusRate, d.course.log_uniform(80, 2000), d.course.uniform(0.7, 4),
                              d.course.uniform(-6, 12)));
    const int tones = d.course.between(0, 3);
    for (int i = 0; i < tones; ++i) {
        const double f0_hz = d.course.log_uniform(60, 900);
        const Wavetable tone(harmonic_gains(f0_hz, d.course.between(1, 4), -9.0, d.course), d.course);
        tone.play(x, f0_hz, slow_pitch(n, 0.7, d.course.log_uniform(0.1, 6), d.course),
                  static_cast<float>(d.course.log_uniform(0.01, 0.5)));
    }
    multiply(x, slow_curve(n, 2.0, 1.0, d.course));
    add(d.out, x);
}

void hum(const AmbienceDraw& d) {
    const double f0_hz = d.course.chance(0.5) ? 50.0 : 60.0;
    const Wavetable tone(harmonic_gains(f0_hz, d.course.between(3, 14), d.course.uniform(-9, -3), d.course),
                         d.course);
    tone.play(d.out, f0_hz, slow_pitch(d.out.size(), 0.7, 0.4, d.course), 1.0F);
    add(d.out, noise(d.out.size(), d.own), static_cast<float>(d.course.log_uniform(0.003, 0.1)));
}

void machine(const AmbienceDraw& d) {
    const std::size_t n = d.out.size();
    const double rate_hz = d.course.log_uniform(1.5, 30.0);
    auto x = noise(n, d.own);
    filter(x, Biquad::band_pass(kCorpusRate, d.course.log_uniform(150, 5000), d.course.uniform(0.4, 3)));
    const double depth = d.course.uniform(0.2, 1.0);
    const double sharp = d.course.uniform(1.0, 6.0);
    for (std::size_t i = 0; i < n; ++i) {
        const double beat = 0.5 + 0.5 * std::sin(kTwoPi * rate_hz * static_cast<double>(i) / kCorpusRate);
        x[i] *= static_cast<float>(1.0 - depth + depth * std::pow(beat, sharp));
    }
    const double f0_hz = d.course.log_uniform(25, 400);
    const Wavetable tone(harmonic_gains(f0_hz, d.course.between(2, 14), d.course.uniform(-9, -2), d.course),
                         d.course);
    tone.play(x, f0_hz, slow_pitch(n, 0.7, d.course.log_uniform(0.2, 30), d.course),
              static_cast<float>(d.course.log_uniform(0.005, 2.0)));
    add(d.out, x);
}

// The speed of a motor over time, as a factor: constant, wandering a little, or with gears and load.
Samples motor_speed(std::size_t frames, Rng& rng) {
    if (rng.chance(0.6)) return slow_pitch(frames, rng.log_uniform(0.3, 3.0), rng.log_uniform(0.2, 25), rng);
    Samples speed(frames);
    double now = rng.log_uniform(0.4, 1.5);
    double target = now;
    std::size_t change = 0;
    for (std::size_t i = 0; i < frames; ++i) {
        if (i >= change) {
            target = rng.log_uniform(0.4, 2.2);
            if (rng.chance(0.4)) now *= rng.uniform(0.55, 0.8);  // a gear up
            change = i + frames_of(rng.log_uniform(0.5, 4.0));
        }
        now += (target - now) * 2e-5;
        speed[i] = static_cast<float>(now);
    }
    return speed;
}

// Tones of a turning machine, 12 to 400 Hz, that keep their pitch or follow a load; coloured by the body
// around it.
void motor(const AmbienceDraw& d) {
    const std::size_t n = d.out.size();
    const double f0_hz = d.course.log_uniform(12, 400);
    const auto gains = harmonic_gains(f0_hz, d.course.between(1, 30), d.course.uniform(-12, 0), d.course);
    const auto speed = motor_speed(n, d.course);
    Samples x(n, 0.0F);
    Wavetable(gains, d.course).play(x, f0_hz, speed, 1.0F);
    if (d.course.chance(0.4)) {  // a second shaft, not in tune
        const double other_hz = f0_hz * d.course.log_uniform(0.3, 4.0);
        Wavetable(harmonic_gains(other_hz, d.course.between(1, 12), -6.0, d.course), d.course)
            .play(x, other_hz, speed, static_cast<float>(d.course.log_uniform(0.1, 1.0)));
    }
    const int peaks = d.course.between(0, 3);
    for (int i = 0; i < peaks; ++i)
        filter(x, Biquad::peaking(kCorpusRate, d.course.log_uniform(80, 5000), d.course.uniform(0.7, 5),
                                  d.course.uniform(-10, 14)));
    if (d.course.chance(0.5)) filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(300, 8000), 0.7));
    const float level = std::sqrt(std::max(1e-9F, [&] {
        float sum = 0.0F;
        for (const float v : x) sum += v * v;
        return sum / static_cast<float>(n);
    }()));
    auto grit = noise(n, d.own);
    filter(grit, Biquad::low_pass(kCorpusRate, d.course.log_uniform(300, 12000), 0.5));
    add(x, grit, level * static_cast<float>(d.course.log_uniform(0.005, 1.5)));
    multiply(x, slow_curve(n, d.course.log_uniform(0.5, 4.0), d.course.log_uniform(0.1, 3.0), d.course));
    add(d.out, x);
}

// Noise in bands whose envelopes have random statistics: depth, speed of modulation, and how far neighbours
// go together (after McDermott and Simoncelli, "Sound texture perception via statistics of the auditory
// periphery", 2011).
void texture(const AmbienceDraw& d) {
    const std::size_t n = d.out.size();
    const int bands = d.course.between(6, 16);
    const double tilt_db = d.course.uniform(-6, 2);
    const auto together = static_cast<float>(d.course.uniform());
    const double speed_s = d.course.log_uniform(0.008, 0.6);
    const auto common = slow_curve(n, speed_s, 1.0, d.course);  // within 1 dB; raised to the depth below
    for (int b = 0; b < bands; ++b) {
        const double centre_hz = 60.0 * std::pow(250.0, (b + d.course.uniform()) / bands);
        auto x = noise(n, d.own);
        filter(x, Biquad::band_pass(kCorpusRate, centre_hz, d.course.uniform(0.8, 3.0)));
        const auto depth_db = static_cast<float>(d.course.uniform(0, 18));
        const auto apart = slow_curve(n, speed_s * d.course.log_uniform(0.5, 2.0), 1.0, d.course);
        float gain = 1.0F;
        for (std::size_t i = 0; i < n; ++i) {
            if (i % 32 == 0)
                gain = std::pow(common[i], depth_db * together) *
                       std::pow(apart[i], depth_db * (1.0F - together));
            x[i] *= gain;
        }
        const double level_db = tilt_db * std::log2(centre_hz / 1000.0) + d.course.uniform(-10, 6);
        add(d.out, x, static_cast<float>(std::pow(10.0, level_db / 20.0)));
    }
}

void water(const AmbienceDraw& d) {
    const std::size_t n = d.out.size();
    const double rate_hz = d.course.log_uniform(8, 120);
    const double lowest_hz = d.course.log_uniform(250, 1500);
    Samples x(n, 0.0F);
    for (double t = 0; t < static_cast<double>(n) / kCorpusRate; t += d.own.log_uniform(0.2, 3.0) / rate_hz) {
        const double hz =
            lowest_hz * d.own.log_uniform(1.0, 5.0);  // a bubble rises in pitch as it nears the surface
        ring(x, frames_of(t), d.own.log_uniform(0.05, 1.0), hz, hz * d.own.uniform(0, 6),
             d.own.log_uniform(25, 200), 0.15);
    }
    auto bed = noise(n, d.own);
    filter(bed, Biquad::band_pass(kCorpusRate, d.course.log_uniform(400, 4000), 0.5));
    multiply(bed, slow_curve(n, 0.4, 5, d.course));
    add(x, bed, static_cast<float>(d.course.log_uniform(0.01, 0.4)));
    add(d.out, x);
}

// Gusts on the capsule: bursts far below 200 Hz that overload it.
void wind_on_microphone(const AmbienceDraw& d) {
    const std::size_t n = d.out.size();
    auto x = noise(n, d.own);
    filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(30, 180), 0.6));
    filter(x, Biquad::low_pass(kCorpusRate, d.course.log_uniform(60, 400), 0.6));
    multiply(x, slow_curve(n, d.course.log_uniform(0.08, 0.5), d.course.uniform(8, 22), d.own));
    float peak = 1e-9F;
    for (const float v : x) peak = std::max(peak, std::abs(v));
    const auto limit = peak * static_cast<float>(d.course.log_uniform(0.1, 1.2));
    for (float& v : x) v = std::clamp(v, -limit, limit);
    add(d.out, x, 1.0F / peak);
}

}  // namespace

std::span<const AmbienceFamily> bed_families() {
    static constexpr std::array<AmbienceFamily, 11> kFamilies = {
        {{"wind", wind, 1.0, false},
         {"rumble", rumble, 1.0, false},
         {"traffic", traffic, 1.0, false},
         {"rain", rain, 1.0, false},
         {"ventilation", ventilation, 1.0, false},
         {"hum", hum, 1.0, false},
         {"machine", machine, 1.0, false},
         {"motor", motor, 0.9, false},
         {"texture", texture, 1.4, false},
         {"water", water, 0.5, false},
         {"wind on the microphone", wind_on_microphone, 0.5, false}}};
    return kFamilies;
}

}  // namespace rivlen::learn
