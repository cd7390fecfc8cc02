#include "learn/telling/plain_sounds.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <random>

namespace rivlen::learn {

namespace {

constexpr double kRate = 48000.0;
constexpr double kTurn = 2.0 * std::numbers::pi;
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

std::vector<float> finished(const Desk& d) {
    double peak = 1e-12;
    for (const double v : d.x) peak = std::max(peak, std::abs(v));
    std::vector<float> out(d.x.size());
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = static_cast<float>(0.25 * d.x[i] / peak);
    return out;
}

void hiss(Desk& d, double level) {
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
double always(double) {
    return 1.0;
}
auto steady(double hz) {
    return [hz](double) { return hz; };
}
// 1 from `start` to `end`, with edges of 3 ms.
double gate(double t, double start, double end) {
    return std::clamp(std::min((t - start) / 0.003, (end - t) / 0.003), 0.0, 1.0);
}
auto pulses(double period, double on) {
    return [period, on](double t) { return gate(std::fmod(t, period), 0.0, on); };
}
// A struck thing: partials (Hz, gain, seconds to 1/e).
struct Partial {
    double hz, gain, fall_s;
};
void strike(Desk& d, double at_s, double gain, std::span<const Partial> partials) {
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
void puff(Desk& d, double at_s, double gain, double hz, double q, double fall_s) {
    Svf body(hz, q);
    const auto at = static_cast<std::size_t>(std::max(0.0, at_s) * kRate);
    for (std::size_t i = at; i < d.x.size(); ++i) {
        const double t = static_cast<double>(i - at) / kRate;
        if (t > 8.0 * fall_s) break;
        body.push(d.bell() * std::exp(-t / fall_s));
        d.x[i] += gain * body.band;
    }
}

// A vowel: pulses through three resonances (Peterson and Barney 1952), pitch and level as functions of time.
struct Vowel {
    double f1, f2, f3;
};
constexpr Vowel kAh = {730, 1090, 2440};
constexpr Vowel kEe = {270, 2290, 3010};
constexpr Vowel kOo = {300, 870, 2240};
template <typename Hz, typename Level>
void say(Desk& d, const Vowel& vowel, const Hz& hz, const Level& level, double breath) {
    std::array<Svf, 3> formants = {Svf(vowel.f1, 9), Svf(vowel.f2, 14), Svf(vowel.f3, 18)};
    Svf glottis(900, 0.6);
    double phase = 0.0;
    for (std::size_t i = 0; i < d.x.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        const double l = level(t);
        phase += hz(t) / kRate;
        double source = breath * d.bell();
        if (phase >= 1.0) {
            phase -= 1.0;
            source += 30.0 * (1.0 - breath);
        }
        glottis.push(l > 0.0 ? l * source : 0.0);
        double sum = 0.0;
        constexpr std::array<double, 3> kGains = {1.0, 0.5, 0.25};
        for (std::size_t f = 0; f < 3; ++f) {
            formants[f].push(glottis.low);
            sum += kGains[f] * formants[f].band;
        }
        d.x[i] += sum;
    }
}
double arch(double t, double start, double length) {
    const double u = (t - start) / length;
    return u <= 0.0 || u >= 1.0 ? 0.0 : std::sin(std::numbers::pi * u);
}

template <int kHz>
std::vector<float> steady_tone(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(d, 12, 1.0, steady(kHz), always);
    hiss(d, 0.02);
    return finished(d);
}
template <int kHz, int kPeriod_ms, int kOn_ms>
std::vector<float> beeps(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(d, 1, 1.0, steady(kHz), pulses(kPeriod_ms / 1000.0, kOn_ms / 1000.0));
    hiss(d, 0.002);
    return finished(d);
}

std::vector<float> drifting_tone(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(
        d, 9, 0.9, [&](double t) { return 88.0 + 5.0 * t; }, always);
    hiss(d, 0.03);
    return finished(d);
}
std::vector<float> loaded_motor(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(
        d, 15, 0.7, [](double t) { return 142.0 - 22.0 * std::exp(-std::fmod(t, 2.1) * 2.0); }, always);
    breeze(d, 300, 5000, [](double) { return 0.4; });
    return finished(d);
}
std::vector<float> diesel(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.0; t < seconds; t += 1.0 / 23.0) {
        puff(d, t, 1.0, 95, 2.0, 0.011);
        puff(d, t, 0.25, 1300, 0.8, 0.003);
    }
    return finished(d);
}
std::vector<float> fan(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(d, 6, 1.4, steady(87), always, 0.5);
    breeze(d, 60, 2800, [](double) { return 0.6; });
    return finished(d);
}
std::vector<float> drill(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(
        d, 24, 0.5, [](double t) { return 355.0 - 40.0 * gate(std::fmod(t, 1.7), 0.5, 1.2); }, always);
    breeze(d, 2000, 9000, [](double) { return 0.8; });
    return finished(d);
}
std::vector<float> low_rumble(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    breeze(d, 25, 160, [](double t) { return 1.0 + 0.6 * std::sin(0.9 * t) * std::sin(2.3 * t); });
    return finished(d);
}
std::vector<float> gusts(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    breeze(d, 60, 650,
           [](double t) { return std::pow(0.5 + 0.5 * std::sin(1.9 * t + std::sin(0.7 * t)), 2.0); });
    return finished(d);
}
std::vector<float> slow_siren(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(
        d, 5, 1.2, [](double t) { return 650.0 - 250.0 * std::cos(kTurn * t / 4.5); }, always);
    return finished(d);
}
std::vector<float> fast_siren(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(
        d, 5, 1.1, [](double t) { return 700.0 + 800.0 * std::fmod(3.2 * t, 1.0); }, always);
    return finished(d);
}
std::vector<float> two_tone_horn(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(
        d, 10, 0.7, [](double t) { return std::fmod(t, 1.3) < 0.65 ? 437.0 : 583.0; }, always);
    return finished(d);
}
std::vector<float> car_horn(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    const auto on = [](double t) { return gate(std::fmod(t, 2.6), 0.4, 1.3); };
    tone(d, 18, 0.5, steady(411), on);
    tone(d, 18, 0.5, steady(497), on);
    return finished(d);
}
std::vector<float> electronic_telephone(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(
        d, 3, 1.0, [](double t) { return std::fmod(t, 0.08) < 0.04 ? 1180.0 : 1420.0; }, pulses(3.0, 1.1));
    return finished(d);
}
std::vector<float> bell_telephone(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<Partial, 4> kBell = {
        {{1050, 1, 0.2}, {1610, 0.8, 0.15}, {2730, 0.5, 0.1}, {4120, 0.3, 0.06}}};
    for (double t = 0.1; t < seconds; t += 0.047) {
        if (std::fmod(t, 3.0) < 1.2) strike(d, t, 1.0, kBell);
    }
    return finished(d);
}
std::vector<float> alarm_clock(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(d, 4, 0.8, steady(2048),
         [](double t) { return gate(std::fmod(t, 0.125), 0, 0.06) * gate(std::fmod(t, 1.0), 0, 0.5); });
    return finished(d);
}
std::vector<float> reversing_lorry(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(d, 2, 1.0, steady(1250), pulses(1.0, 0.5));
    breeze(d, 40, 300, [](double) { return 0.5; });
    return finished(d);
}
std::vector<float> bird(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.2; t < seconds; t += d.between(0.5, 1.4)) {
        const double base = d.between(2600, 4300);
        for (int n = 0; n < 4; ++n) {
            const double at = t + 0.11 * n;
            tone(
                d, 1, 1.0, [=](double u) { return base + 1500.0 * std::sin(55.0 * (u - at)); },
                [=](double u) { return arch(u, at, 0.08); });
        }
    }
    return finished(d);
}
std::vector<float> cricket(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(d, 1, 1.0, steady(4350),
         [](double t) { return std::fmod(t, 0.7) < 0.3 ? std::pow(std::sin(kTurn * 15.0 * t), 2.0) : 0.0; });
    hiss(d, 0.004);
    return finished(d);
}
std::vector<float> door_knock(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<Partial, 3> kDoor = {{{118, 1, 0.035}, {235, 0.7, 0.025}, {410, 0.4, 0.015}}};
    for (const double t : {0.5, 0.72, 0.95, 2.6, 2.81, 3.04}) {
        if (t > seconds) break;
        strike(d, t, 1.0, kDoor);
        puff(d, t, 0.5, 900, 0.8, 0.006);
    }
    return finished(d);
}
std::vector<float> single_thump(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<Partial, 2> kFloor = {{{52, 1, 0.09}, {81, 0.5, 0.05}}};
    strike(d, 0.4 * seconds, 1.0, kFloor);
    puff(d, 0.4 * seconds, 0.6, 240, 0.7, 0.02);
    hiss(d, 0.001);
    return finished(d);
}
std::vector<float> metal_clang(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<Partial, 6> kPipe = {{{431, 1, 0.5},
                                               {1187, 0.9, 0.4},
                                               {2319, 0.7, 0.3},
                                               {3821, 0.5, 0.2},
                                               {5650, 0.4, 0.1},
                                               {7810, 0.2, 0.08}}};
    for (double t = 0.3; t < seconds; t += d.between(0.9, 1.9)) strike(d, t, d.between(0.5, 1.0), kPipe);
    return finished(d);
}
std::vector<float> hammering(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<Partial, 3> kNail = {{{640, 1, 0.03}, {2210, 0.8, 0.02}, {5100, 0.5, 0.01}}};
    for (double t = 0.2; t < seconds; t += 0.52) {
        strike(d, t, 1.0, kNail);
        puff(d, t, 1.0, 2500, 0.5, 0.008);
    }
    return finished(d);
}
std::vector<float> hard_steps(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.25; t < seconds; t += 0.55 + d.between(-0.02, 0.02)) {
        puff(d, t, 1.0, 170, 1.3, 0.015);
        puff(d, t + 0.01, 0.7, 2400, 1.0, 0.006);
        puff(d, t + 0.09, 0.4, 1500, 1.0, 0.01);
    }
    return finished(d);
}
std::vector<float> gravel_steps(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.2; t < seconds; t += 0.6) {
        for (int n = 0; n < 40; ++n)
            puff(d, t + d.between(0, 0.22), d.between(0.1, 1.0), d.between(1500, 6500), 1.2, 0.003);
    }
    return finished(d);
}
std::vector<float> clock_ticking(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (int n = 0; 0.5 * n < seconds; ++n)
        puff(d, 0.5 * n + 0.1, n % 2 == 0 ? 1.0 : 0.7, n % 2 == 0 ? 3300 : 2700, 6, 0.003);
    return finished(d);
}
std::vector<float> keyboard(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.2; t < seconds; t += d.between(0.07, 0.3)) {
        puff(d, t, d.between(0.5, 1.0), d.between(2200, 4200), 1.4, 0.004);
        puff(d, t + 0.06, 0.3, 1600, 1.4, 0.004);
    }
    return finished(d);
}
std::vector<float> paper(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.3; t < seconds; t += d.between(0.8, 1.6)) {
        for (int n = 0; n < 160; ++n)
            puff(d, t + d.between(0, 0.5), d.between(0.05, 1.0), d.between(2500, 9000), 0.8, 0.0015);
    }
    return finished(d);
}
std::vector<float> cloth(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    breeze(d, 700, 3200, [](double t) {
        return arch(std::fmod(t, 1.5), 0.1, 0.5) + 0.7 * arch(std::fmod(t, 2.3), 1.2, 0.4);
    });
    return finished(d);
}
std::vector<float> cutlery(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.2; t < seconds; t += d.between(0.1, 0.7)) {
        const double hz = d.between(2800, 5200);
        const std::array<Partial, 3> fork = {{{hz, 1, 0.06}, {hz * 1.53, 0.6, 0.04}, {hz * 2.31, 0.3, 0.02}}};
        strike(d, t, d.between(0.2, 1.0), fork);
    }
    return finished(d);
}
std::vector<float> stream(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.0; t < seconds; t += d.between(0.002, 0.04)) {
        const double hz = d.between(450, 2600);
        const std::array<Partial, 1> bubble = {{{hz, 1, 0.012}}};
        strike(d, t, d.between(0.1, 1.0), bubble);
    }
    breeze(d, 500, 3000, [](double) { return 0.3; });
    return finished(d);
}
std::vector<float> dripping(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.3; t < seconds; t += 0.83) {
        const double at = t;
        tone(
            d, 1, 1.0, [=](double u) { return 950.0 + 9000.0 * std::max(0.0, u - at); },
            [=](double u) { return u < at ? 0.0 : std::exp(-(u - at) / 0.018); });
    }
    return finished(d);
}
std::vector<float> tape_hiss(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    breeze(d, 900, 15000, always);
    return finished(d);
}
std::vector<float> steady_rain(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    breeze(d, 800, 11000, always);
    for (double t = 0.0; t < seconds; t += d.between(0.005, 0.07))
        puff(d, t, d.between(0.3, 3.0), d.between(1200, 5000), 3, 0.004);
    return finished(d);
}
std::vector<float> far_thunder(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    breeze(d, 20, 130, [](double t) { return 2.0 * std::exp(-std::abs(std::fmod(t, 5.0) - 1.2) * 1.2); });
    return finished(d);
}
std::vector<float> mains_hum(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (const double hz : {50.0, 100.0, 150.0, 250.0, 350.0}) tone(d, 1, 1.0, steady(hz), always, 50.0 / hz);
    hiss(d, 0.02);
    return finished(d);
}
std::vector<float> barking(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.3; t < seconds; t += 0.9) {
        const double at = t;
        tone(
            d, 14, 0.4, [=](double u) { return 420.0 + 260.0 * arch(u, at, 0.16); },
            [=](double u) { return arch(u, at, 0.16); });
        puff(d, t, 2.0, 1500, 0.6, 0.04);
    }
    return finished(d);
}

// Against them: what is music,
double note_hz(int semitones) {
    return 220.0 * std::pow(2.0, semitones / 12.0);
}
std::vector<float> drum_loop(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (int n = 0; 0.25 * n < seconds; ++n) {
        const double t = 0.25 * n;
        if (n % 4 == 0 || n % 8 == 5) {
            constexpr std::array<Partial, 2> kKick = {{{54, 2, 0.12}, {108, 0.8, 0.03}}};
            strike(d, t, 1.0, kKick);
        }
        if (n % 4 == 2) puff(d, t, 1.6, 1900, 0.5, 0.05);
        puff(d, t, 0.5, 9000, 1.0, n % 2 == 0 ? 0.015 : 0.03);
    }
    return finished(d);
}
std::vector<float> drone_and_melody(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    tone(d, 8, 1.2, steady(note_hz(-12)), always, 0.5);
    constexpr std::array<int, 8> kTune = {0, 3, 5, 7, 5, 3, 10, 7};
    tone(
        d, 7, 1.0,
        [&](double t) {
            return note_hz(kTune[static_cast<std::size_t>(t / 0.4) % 8]) *
                   (1.0 + 0.004 * std::sin(kTurn * 5.2 * t));
        },
        [](double t) { return std::exp(-std::fmod(t, 0.4) * 2.0) * gate(std::fmod(t, 0.4), 0.0, 0.39); });
    return finished(d);
}
std::vector<float> organ_chord(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (const int s : {-12, -5, 0, 4, 7})
        tone(d, 6, 0.9, steady(note_hz(s)), [=](double t) { return gate(std::fmod(t, 2.0), 0.0, 1.9); });
    return finished(d);
}
std::vector<float> bass_line(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<int, 8> kLine = {-24, -24, -17, -19, -21, -21, -14, -17};
    tone(
        d, 10, 1.3, [&](double t) { return note_hz(kLine[static_cast<std::size_t>(t / 0.35) % 8]); },
        [](double t) { return std::exp(-std::fmod(t, 0.35) * 4.0) * gate(std::fmod(t, 0.35), 0.0, 0.34); });
    return finished(d);
}
std::vector<float> plucked_arpeggio(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<int, 6> kNotes = {-12, -5, 0, 4, 7, 12};
    int n = 0;
    for (double t = 0.1; t < seconds; t += 0.22, ++n) {
        const double f = note_hz(kNotes[static_cast<std::size_t>(n) % 6]);
        const std::array<Partial, 5> string = {
            {{f, 1, 0.6}, {2 * f, 0.6, 0.4}, {3 * f, 0.4, 0.3}, {4 * f, 0.2, 0.2}, {5 * f, 0.15, 0.15}}};
        strike(d, t, 1.0, string);
    }
    return finished(d);
}
std::vector<float> held_sung_vowel(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    constexpr std::array<int, 4> kTune = {0, 4, 7, 5};
    say(
        d, kAh,
        [&](double t) {
            return note_hz(kTune[static_cast<std::size_t>(t / 1.3) % 4]) *
                   (1.0 + 0.02 * std::sin(kTurn * 5.6 * t));
        },
        [](double t) { return gate(std::fmod(t, 1.3), 0.02, 1.25); }, 0.02);
    return finished(d);
}

// and what is a voice.
std::vector<float> one_syllable(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    const double at = 0.45 * seconds;
    puff(d, at - 0.02, 0.4, 4200, 0.8, 0.02);
    say(
        d, kAh, [=](double t) { return 128.0 - 60.0 * (t - at); },
        [=](double t) { return arch(t, at, 0.26); }, 0.05);
    hiss(d, 0.0003);
    return finished(d);
}
std::vector<float> whisper(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double t = 0.3; t < seconds - 0.3; t += 0.26) {
        const double at = t;
        const std::array<Vowel, 3> vowels = {kAh, kEe, kOo};
        const Vowel v = vowels[static_cast<std::size_t>(d.between(0, 2.99))];
        say(
            d, v, steady(100), [=](double u) { return arch(u, at, 0.2); }, 1.0);
        puff(d, at - 0.05, 0.3, d.between(3500, 6500), 1.0, 0.03);
    }
    return finished(d);
}
std::vector<float> shout(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (const double at : {0.4, 1.6, 2.9}) {
        puff(d, at - 0.03, 1.0, 1600, 0.8, 0.02);
        say(
            d, kAh, [=](double t) { return 290.0 + 90.0 * arch(t, at, 0.6) - 40.0 * (t - at); },
            [=](double t) { return std::sqrt(arch(t, at, 0.6)); }, 0.08);
    }
    return finished(d);
}
std::vector<float> laugh(double seconds, std::uint64_t seed) {
    Desk d(seconds, seed);
    for (double start = 0.3; start < seconds - 1.2; start += 1.8) {
        for (int n = 0; n < 6; ++n) {
            const double at = start + 0.17 * n;
            puff(d, at - 0.06, 0.3, 1500, 0.6, 0.03);
            say(
                d, kAh, [=](double t) { return 240.0 - 14.0 * n - 120.0 * (t - at); },
                [=](double t) { return (1.0 - 0.12 * n) * arch(t, at, 0.09); }, 0.25);
        }
    }
    return finished(d);
}

using enum PlainStem;
constexpr std::array kSounds = {
    PlainSound{"steady tone, 31 Hz", Ambience, steady_tone<31>},
    PlainSound{"steady tone, 58 Hz", Ambience, steady_tone<58>},
    PlainSound{"steady tone, 118 Hz", Ambience, steady_tone<118>},
    PlainSound{"steady tone, 233 Hz", Ambience, steady_tone<233>},
    PlainSound{"steady tone, 311 Hz", Ambience, steady_tone<311>},
    PlainSound{"steady tone, 397 Hz", Ambience, steady_tone<397>},
    PlainSound{"slowly rising tone", Ambience, drifting_tone},
    PlainSound{"motor under load", Ambience, loaded_motor},
    PlainSound{"diesel engine", Ambience, diesel},
    PlainSound{"fan", Ambience, fan},
    PlainSound{"drill", Ambience, drill},
    PlainSound{"low rumble", Ambience, low_rumble},
    PlainSound{"gusts", Ambience, gusts},
    PlainSound{"mains hum", Ambience, mains_hum},
    PlainSound{"short beeps, 1 kHz", Ambience, beeps<1000, 500, 90>},
    PlainSound{"long beeps, 440 Hz", Ambience, beeps<440, 1500, 800>},
    PlainSound{"fast beeps, 3.1 kHz", Ambience, beeps<3100, 160, 60>},
    PlainSound{"slow siren", Ambience, slow_siren},
    PlainSound{"fast siren", Ambience, fast_siren},
    PlainSound{"two-tone horn", Ambience, two_tone_horn},
    PlainSound{"car horn", Ambience, car_horn},
    PlainSound{"electronic telephone", Ambience, electronic_telephone},
    PlainSound{"telephone with a bell", Ambience, bell_telephone},
    PlainSound{"alarm clock", Ambience, alarm_clock},
    PlainSound{"reversing lorry", Ambience, reversing_lorry},
    PlainSound{"bird", Ambience, bird},
    PlainSound{"cricket", Ambience, cricket},
    PlainSound{"barking", Ambience, barking},
    PlainSound{"knocks on a door", Ambience, door_knock},
    PlainSound{"single thump", Ambience, single_thump},
    PlainSound{"clangs of metal", Ambience, metal_clang},
    PlainSound{"hammering", Ambience, hammering},
    PlainSound{"hard footsteps", Ambience, hard_steps},
    PlainSound{"footsteps on gravel", Ambience, gravel_steps},
    PlainSound{"clock", Ambience, clock_ticking},
    PlainSound{"keyboard", Ambience, keyboard},
    PlainSound{"paper", Ambience, paper},
    PlainSound{"cloth", Ambience, cloth},
    PlainSound{"cutlery", Ambience, cutlery},
    PlainSound{"stream", Ambience, stream},
    PlainSound{"dripping", Ambience, dripping},
    PlainSound{"hiss", Ambience, tape_hiss},
    PlainSound{"rain", Ambience, steady_rain},
    PlainSound{"thunder", Ambience, far_thunder},
    PlainSound{"drum loop", Music, drum_loop},
    PlainSound{"drone with a melody", Music, drone_and_melody},
    PlainSound{"organ chords", Music, organ_chord},
    PlainSound{"bass line", Music, bass_line},
    PlainSound{"plucked arpeggio", Music, plucked_arpeggio},
    PlainSound{"sung vowels", Music, held_sung_vowel},
    PlainSound{"one syllable", Voice, one_syllable},
    PlainSound{"whisper", Voice, whisper},
    PlainSound{"shouts", Voice, shout},
    PlainSound{"laughter", Voice, laugh},
};

}  // namespace

std::span<const PlainSound> plain_sounds() {
    return kSounds;
}

std::vector<const PlainSound*> plain_surroundings() {
    std::vector<const PlainSound*> found;
    for (const auto& sound : kSounds) {
        if (sound.stem == Ambience) found.push_back(&sound);
    }
    return found;
}

}  // namespace rivlen::learn
