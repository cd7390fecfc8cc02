#include "learn/synth.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/chain/biquad.h"
#include "learn/corpus.h"

namespace rivlen::learn {

namespace {

constexpr double kTwoPi = 2.0 * std::numbers::pi;

// A slow random curve around 1: a random walk through points `seconds` apart, joined by cosines.
std::vector<float> slow_curve(std::size_t frames, double seconds, double depth_db, Rng& rng) {
    std::vector<float> curve(frames);
    const auto step = std::max<std::size_t>(static_cast<std::size_t>(seconds * kCorpusRate), 64);
    double from = rng.uniform(-depth_db, depth_db);
    double to = rng.uniform(-depth_db, depth_db);
    std::size_t within = rng.below(step);
    for (std::size_t i = 0; i < frames; ++i) {
        if ((i & 31U) == 0) {
            const double part = 0.5 - 0.5 * std::cos(std::numbers::pi * static_cast<double>(within) /
                                                     static_cast<double>(step));
            curve[i] = static_cast<float>(std::pow(10.0, (from + (to - from) * part) / 20.0));
        } else {
            curve[i] = curve[i - 1];
        }
        if (++within >= step) {
            within = 0;
            from = to;
            to = rng.uniform(-depth_db, depth_db);
        }
    }
    return curve;
}

std::vector<float> noise(std::size_t frames, Rng& rng) {
    std::vector<float> out(frames);
    for (float& x : out) x = rng.noise();
    return out;
}

void filter(std::vector<float>& x, const Biquad& coefficients) {
    BiquadFilter(coefficients).process(x);
}

void modulate(std::vector<float>& x, const std::vector<float>& curve) {
    for (std::size_t i = 0; i < x.size(); ++i) x[i] *= curve[i];
}

// Harmonics of a fundamental that drifts by at most so many cents.
std::vector<float> harmonics(std::size_t frames, double f0_hz, double drift_cents, int count, double slope_db,
                             Rng& rng) {
    std::vector<float> out(frames, 0.0F);
    const auto pitch = slow_curve(frames, 0.7, drift_cents * 20.0 * std::log10(2.0) / 1200.0, rng);
    for (int h = 1; h <= count; ++h) {
        const double gain =
            std::pow(10.0, (slope_db * std::log2(static_cast<double>(h)) + rng.uniform(-8.0, 4.0)) / 20.0);
        double phase = rng.uniform(0.0, kTwoPi);
        for (std::size_t i = 0; i < frames; ++i) {
            out[i] += static_cast<float>(gain) * std::sin(static_cast<float>(phase));
            phase += kTwoPi * f0_hz * h * static_cast<double>(pitch[i]) / kCorpusRate;
            if (phase > kTwoPi) phase -= kTwoPi;
        }
    }
    return out;
}

void add(std::vector<float>& to, const std::vector<float>& from, float gain) {
    for (std::size_t i = 0; i < to.size(); ++i) to[i] += gain * from[i];
}

std::vector<float> channel_of(const std::string& kind, std::size_t n, Rng& rng, Rng& shared) {
    std::vector<float> x;
    if (kind == "wind") {
        x = noise(n, rng);
        filter(x, Biquad::low_pass(kCorpusRate, shared.log_uniform(60, 400), 0.6));
        filter(x, Biquad::low_pass(kCorpusRate, shared.log_uniform(150, 1200), shared.uniform(0.6, 1.5)));
        modulate(x, slow_curve(n, shared.uniform(0.15, 0.8), shared.uniform(4, 12), rng));
        auto howl = noise(n, rng);
        filter(howl, Biquad::band_pass(kCorpusRate, shared.log_uniform(200, 900), shared.uniform(3, 12)));
        modulate(howl, slow_curve(n, 0.6, 10, rng));
        add(x, howl, static_cast<float>(shared.uniform(0.0, 0.15)));
    } else if (kind == "traffic") {
        x = noise(n, rng);
        filter(x, Biquad::low_pass(kCorpusRate, shared.log_uniform(150, 900), 0.6));
        modulate(x, slow_curve(n, 1.5, 6, shared));
        auto tyres = noise(n, rng);
        filter(tyres, Biquad::band_pass(kCorpusRate, shared.log_uniform(500, 1800), 0.5));
        modulate(tyres, slow_curve(n, shared.uniform(0.8, 2.5), 10, shared));
        add(x, tyres, static_cast<float>(shared.uniform(0.05, 0.5)));
        const auto engine = harmonics(n, shared.uniform(22, 90), shared.log_uniform(1, 160), 9, -5.0, shared);
        add(x, engine, static_cast<float>(shared.uniform(0.0, 0.06)));
    } else if (kind == "rain") {
        x = noise(n, rng);
        filter(x, Biquad::high_pass(kCorpusRate, shared.log_uniform(300, 2500), 0.6));
        filter(x, Biquad::low_pass(kCorpusRate, shared.log_uniform(5000, 20000), 0.6));
        modulate(x, slow_curve(n, 1.0, 2, shared));
        const int drops = static_cast<int>(static_cast<double>(n) / kCorpusRate * shared.log_uniform(5, 80));
        for (int d = 0; d < drops; ++d) {
            const std::size_t at = rng.below(n);
            const double f = rng.log_uniform(800, 7000);
            const double gain = rng.log_uniform(0.3, 4.0);
            const double decay = rng.log_uniform(80, 900);
            for (std::size_t i = 0; i < 1600 && at + i < n; ++i) {
                const double t = static_cast<double>(i) / kCorpusRate;
                x[at + i] += static_cast<float>(gain * std::exp(-decay * t) * std::sin(kTwoPi * f * t));
            }
        }
    } else if (kind == "ventilation") {
        x = noise(n, rng);
        filter(x, Biquad::low_pass(kCorpusRate, shared.log_uniform(200, 3000), 0.5));
        filter(x, Biquad::peaking(kCorpusRate, shared.log_uniform(80, 2000), shared.uniform(0.7, 4),
                                  shared.uniform(-6, 12)));
        const int tones = shared.between(0, 3);
        for (int i = 0; i < tones; ++i) {
            add(x, harmonics(n, shared.log_uniform(60, 900), 4.0, 2, -9.0, shared),
                static_cast<float>(shared.uniform(0.01, 0.12)));
        }
        modulate(x, slow_curve(n, 2.0, 1.0, shared));
    } else if (kind == "hum") {
        x = harmonics(n, shared.chance(0.5) ? 50.0 : 60.0, 0.4, shared.between(3, 14),
                      shared.uniform(-9, -3), shared);
        add(x, noise(n, rng), static_cast<float>(shared.log_uniform(0.003, 0.1)));
    } else if (kind == "machine") {
        const double rate = shared.log_uniform(1.5, 30.0);
        x = noise(n, rng);
        filter(x, Biquad::band_pass(kCorpusRate, shared.log_uniform(150, 5000), shared.uniform(0.4, 3)));
        const double depth = shared.uniform(0.2, 1.0);
        const double sharp = shared.uniform(1.0, 6.0);
        for (std::size_t i = 0; i < n; ++i) {
            const double beat = 0.5 + 0.5 * std::sin(kTwoPi * rate * static_cast<double>(i) / kCorpusRate);
            x[i] *= static_cast<float>(1.0 - depth + depth * std::pow(beat, sharp));
        }
        add(x,
            harmonics(n, shared.log_uniform(25, 400), shared.log_uniform(0.2, 30), shared.between(2, 14),
                      shared.uniform(-9, -2), shared),
            static_cast<float>(shared.log_uniform(0.005, 10.0)));
    } else {  // bangs: single blows, clicks and rattles
        x.assign(n, 0.0F);
        const int count =
            1 + static_cast<int>(static_cast<double>(n) / kCorpusRate * shared.log_uniform(0.2, 4.0));
        for (int b = 0; b < count; ++b) {
            const std::size_t at = shared.below(n);
            const double gain = shared.log_uniform(0.2, 2.0);
            const double decay = shared.log_uniform(8, 400);
            BiquadFilter body(
                Biquad::band_pass(kCorpusRate, shared.log_uniform(60, 6000), shared.uniform(0.5, 8)));
            const auto length = std::min(n - at, static_cast<std::size_t>(7.0 / decay * kCorpusRate));
            const auto step = static_cast<float>(std::exp(-decay / kCorpusRate));
            auto envelope = static_cast<float>(gain);
            for (std::size_t i = 0; i < length; ++i, envelope *= step)
                x[at + i] += body.step(envelope * rng.noise());
        }
    }
    return x;
}

}  // namespace

const std::vector<std::string>& synthetic_ambiences() {
    static const std::vector<std::string> kinds = {"wind", "traffic", "rain", "ventilation",
                                                   "hum",  "machine", "bangs"};
    return kinds;
}

Stereo synthesise_ambience(const std::string& kind, std::size_t frames, Rng& rng) {
    // Both channels share the slow course (and tones) and differ in their noise.
    const std::uint64_t course = rng.bits();
    Stereo out;
    for (auto& channel : out) {
        Rng shared(course);
        channel = channel_of(kind, frames, rng, shared);
    }
    return out;
}

}  // namespace rivlen::learn
