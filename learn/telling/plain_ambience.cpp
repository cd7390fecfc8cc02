// SPDX-License-Identifier: GPL-3.0-or-later
// Plain sounds that are ambience: machines, signals, blows, steps, weather, animals.
#include "learn/telling/plain_desk.h"
#include "learn/telling/plain_sounds.h"

namespace rivlen::learn {

namespace {

using namespace plain;  // NOLINT(google-build-using-namespace)

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
};

}  // namespace

std::span<const PlainSound> plain_ambience() {
    return kSounds;
}

}  // namespace rivlen::learn
