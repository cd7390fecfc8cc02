// SPDX-License-Identifier: GPL-3.0-or-later
// Ambience that happens: blows, steps, handling, signals, animals.
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "learn/corpus.h"
#include "learn/world/ambience.h"

namespace rivlen::learn {

namespace {

double seconds_of(const Samples& x) {
    return static_cast<double>(x.size()) / kCorpusRate;
}

void bangs(const AmbienceDraw& d) {
    const int count = 1 + static_cast<int>(seconds_of(d.out) * d.course.log_uniform(0.2, 4.0));
    for (int i = 0; i < count; ++i) {
        const std::size_t at = d.course.below(d.out.size());
        const double gain = d.course.log_uniform(0.2, 2.0);
        const double decay = d.course.log_uniform(8, 400);
        const double centre_hz = d.course.log_uniform(60, 6000);
        burst(d.out, at, gain, centre_hz, d.course.uniform(0.5, 8), decay, d.own);
    }
}

// Thumps and knocks: low bodies that die away at once.
void knocks(const AmbienceDraw& d) {
    const double body_hz = d.course.log_uniform(50, 900);
    for (double t = d.course.uniform(0, 1.0); t < seconds_of(d.out); t += d.course.log_uniform(0.3, 4.0)) {
        const int blows = d.course.between(1, 5);
        const double gap_s = d.course.uniform(0.12, 0.4);
        for (int i = 0; i < blows; ++i, t += gap_s) {
            const double gain = d.course.log_uniform(0.5, 1.5);
            Body(body_hz * d.course.uniform(0.97, 1.03), d.course.log_uniform(25, 120), d.course)
                .strike(d.out, frames_of(t), gain);
            burst(d.out, frames_of(t), gain * d.course.uniform(0.2, 2.0), body_hz * 4.0, 0.7,
                  d.course.log_uniform(80, 400), d.own);
        }
    }
}

struct Blow {
    double at_s, gain;
    std::size_t body;
    bool noisy;
    double centre_hz, decay;
};
struct Pattern {
    std::vector<Body> bodies;
    std::vector<Blow> blows;
    double period_s;
    explicit Pattern(Rng& rng) : period_s(rng.log_uniform(0.18, 1.8)) {
        const int count = rng.between(1, 4);
        for (int i = 0; i < count; ++i)
            bodies.emplace_back(rng.log_uniform(120, 2500), rng.log_uniform(3, 120), rng);
        const int parts = rng.between(1, 6);
        for (int i = 0; i < parts; ++i) {
            blows.push_back({i == 0 ? 0.0 : rng.uniform(0, period_s), rng.log_uniform(0.3, 1.5),
                             rng.below(bodies.size()), rng.chance(0.5), rng.log_uniform(80, 8000),
                             rng.log_uniform(15, 300)});
        }
    }
    void play(const AmbienceDraw& d, const Blow& blow, double t) const {
        const double gain = blow.gain * d.course.uniform(0.8, 1.2);
        if (blow.noisy) {
            burst(d.out, frames_of(t + blow.at_s), 3.0 * gain, blow.centre_hz, 1.0, blow.decay, d.own);
        } else {
            bodies[blow.body].strike(d.out, frames_of(t + blow.at_s), gain);
        }
    }
};

void clangs(const AmbienceDraw& d) {
    const Pattern pattern(d.course);
    for (double t = d.course.uniform(0, 1.0); t < seconds_of(d.out); t += d.course.log_uniform(0.08, 2.5))
        pattern.play(d, pattern.blows[d.course.below(pattern.blows.size())], t);
}

// What a machine does again and again: a rhythm, and yet no music.
void patterns(const AmbienceDraw& d) {
    const Pattern pattern(d.course);
    for (double t = d.course.uniform(0, pattern.period_s); t < seconds_of(d.out);
         t += pattern.period_s * d.course.uniform(0.995, 1.005)) {
        for (const Blow& blow : pattern.blows) pattern.play(d, blow, t);
    }
}

void ticking(const AmbienceDraw& d) {
    const double period_s = d.course.log_uniform(0.1, 1.1);
    const Body body(d.course.log_uniform(600, 5000), d.course.log_uniform(80, 600), d.course);
    bool second = false;
    for (double t = d.course.uniform(0, period_s); t < seconds_of(d.out); t += period_s, second = !second)
        body.strike(d.out, frames_of(t), second ? 0.6 : 1.0);
}

void steps(const AmbienceDraw& d) {
    const double period_s = d.course.log_uniform(0.28, 0.8);
    const double heel_hz = d.course.log_uniform(60, 900);
    const double toe_hz = d.course.log_uniform(900, 7000);
    const double scrape = d.course.log_uniform(0.05, 1.0);
    for (double t = d.course.uniform(0, period_s); t < seconds_of(d.out);
         t += period_s * d.course.uniform(0.92, 1.08)) {
        const double gain = d.course.log_uniform(0.6, 1.6);
        burst(d.out, frames_of(t), gain, heel_hz * d.course.uniform(0.9, 1.1), 1.0,
              d.course.log_uniform(40, 120), d.own);
        burst(d.out, frames_of(t + d.course.uniform(0.05, 0.13)), gain * scrape, toe_hz, 0.7,
              d.course.log_uniform(30, 150), d.own);
    }
}

void keys(const AmbienceDraw& d) {
    const double centre_hz = d.course.log_uniform(1500, 7000);
    for (double t = d.course.uniform(0, 0.5); t < seconds_of(d.out);) {
        burst(d.out, frames_of(t), d.course.log_uniform(0.5, 1.5), centre_hz * d.course.uniform(0.8, 1.25),
              1.5, d.course.log_uniform(120, 600), d.own);
        burst(d.out, frames_of(t + 0.002), d.course.uniform(0.1, 0.8), d.course.log_uniform(150, 600), 2.0,
              120, d.own);
        t += d.course.chance(0.12) ? d.course.log_uniform(0.4, 2.0) : d.course.log_uniform(0.06, 0.25);
    }
}

// Cloth, paper, gravel, leaves: heaps of tiny blows that swell and fade.
void rustling(const AmbienceDraw& d) {
    const double centre_hz = d.course.log_uniform(700, 9000);
    for (double t = d.course.uniform(0, 1.0); t < seconds_of(d.out); t += d.course.log_uniform(0.2, 2.0)) {
        const double length_s = d.course.log_uniform(0.08, 0.8);
        const int count = static_cast<int>(length_s * d.course.log_uniform(60, 500));
        for (int i = 0; i < count; ++i) {
            burst(d.out, frames_of(t + length_s * 0.5 * (d.own.uniform() + d.own.uniform())),
                  d.own.log_uniform(0.1, 1.0), centre_hz * d.own.log_uniform(0.5, 2.0), 1.0,
                  d.own.log_uniform(300, 2000), d.own);
        }
    }
}

// Plates, cups, cutlery, keys on a ring: small hard bodies, close together and then not at all.
void clatter(const AmbienceDraw& d) {
    std::vector<Body> bodies;
    for (int i = 0; i < 4; ++i)
        bodies.emplace_back(d.course.log_uniform(900, 6000), d.course.log_uniform(8, 90), d.course);
    for (double t = d.course.uniform(0, 1.0); t < seconds_of(d.out); t += d.course.log_uniform(0.3, 3.0)) {
        const int count = d.course.between(1, 9);
        for (int i = 0; i < count; ++i, t += d.course.log_uniform(0.02, 0.25))
            bodies[d.course.below(bodies.size())].strike(d.out, frames_of(t), d.course.log_uniform(0.1, 1.2));
    }
}

void thunder(const AmbienceDraw& d) {
    for (double t = d.course.uniform(0, 2.0); t < seconds_of(d.out); t += d.course.log_uniform(2.0, 10.0)) {
        const int claps = d.course.between(2, 12);
        for (int i = 0; i < claps; ++i)
            burst(d.out, frames_of(t + d.course.uniform(0, 1.5)), d.course.log_uniform(0.3, 2.0),
                  d.course.log_uniform(40, 400), 0.5, d.course.log_uniform(1.5, 12), d.own);
    }
}

// Fingers and cables on a microphone: low scrapes and bumps.
void handling(const AmbienceDraw& d) {
    for (double t = d.course.uniform(0, 0.8); t < seconds_of(d.out); t += d.course.log_uniform(0.15, 2.5)) {
        const int count = d.course.between(1, 25);
        const double length_s = d.course.log_uniform(0.05, 0.7);
        for (int i = 0; i < count; ++i)
            burst(d.out, frames_of(t + d.course.uniform(0, length_s)), d.course.log_uniform(0.2, 1.5),
                  d.course.log_uniform(40, 700), 0.8, d.course.log_uniform(30, 300), d.own);
    }
}

// Electronic signals: beeps, two tones, sirens, sweeps, reversing vehicles, alarms.
void signals(const AmbienceDraw& d) {
    enum Form { Beeps, TwoTones, Siren, Sweep, Steady };
    const auto form = static_cast<Form>(d.course.between(Beeps, Steady));
    const double period_s = d.course.log_uniform(0.12, 4.0);
    const double on_s = period_s * d.course.uniform(0.08, 1.02);
    const double first_hz = d.course.log_uniform(250, 4500);
    const double second_hz = first_hz * d.course.log_uniform(0.55, 1.8);
    const Wavetable tone(harmonic_gains(first_hz, d.course.chance(0.4) ? 1 : d.course.between(2, 10),
                                        d.course.uniform(-14, 0), d.course),
                         d.course);
    const int beeps_a_group = d.course.chance(0.3) ? d.course.between(2, 5) : 0;
    double phase = 0.0;
    for (std::size_t i = 0; i < d.out.size(); ++i) {
        const double t = static_cast<double>(i) / kCorpusRate;
        const double along = std::fmod(t, period_s);
        double hz = first_hz;
        if (form == TwoTones && along > period_s / 2) hz = second_hz;
        if (form == Siren) hz += (second_hz - first_hz) * (0.5 - 0.5 * std::cos(kTwoPi * t / period_s));
        if (form == Sweep) hz += (second_hz - first_hz) * along / period_s;
        phase += hz / kCorpusRate;
        phase -= std::floor(phase);
        double gate = 1.0;
        if (form == Beeps || form == Sweep)
            gate = std::clamp(std::min(along / 0.004, (on_s - along) / 0.01), 0.0, 1.0);
        if (beeps_a_group > 0 && static_cast<int>(t / period_s) % (beeps_a_group + 2) >= beeps_a_group)
            gate = 0.0;
        if (gate > 0.0) d.out[i] += static_cast<float>(gate) * tone.at(phase);
    }
    add(d.out, noise(d.out.size(), d.own), static_cast<float>(d.course.log_uniform(0.0003, 0.05)));
}

// Telephones and door bells: a struck bell many times a second, or two tones in quick turns.
void telephones(const AmbienceDraw& d) {
    const double ring_s = d.course.log_uniform(0.4, 2.5);
    const double pause_s = d.course.log_uniform(0.3, 4.0);
    const double turns_hz = d.course.log_uniform(8, 40);
    const bool bell = d.course.chance(0.5);
    const Body body(d.course.log_uniform(700, 2500), d.course.log_uniform(4, 25), d.course);
    const double tones_hz[2] = {d.course.log_uniform(400, 2000), d.course.log_uniform(400, 2500)};
    for (double start = d.course.uniform(-ring_s, 1.0); start < seconds_of(d.out);
         start += ring_s + pause_s) {
        int turn = 0;
        for (double t = 0.0; t < ring_s; t += 1.0 / turns_hz, ++turn) {
            if (start + t < 0.0) continue;
            if (bell) {
                body.strike(d.out, frames_of(start + t), turn % 2 == 0 ? 1.0 : 0.8);
            } else {
                ring(d.out, frames_of(start + t), 1.0, tones_hz[turn % 2], 0.0, 0.1, 1.0 / turns_hz);
            }
        }
    }
}

void birds(const AmbienceDraw& d) {
    for (double t = d.course.uniform(0, 1.0); t < seconds_of(d.out); t += d.course.log_uniform(0.3, 3.0)) {
        const double hz = d.course.log_uniform(1500, 6500);
        const double length_s = d.course.log_uniform(0.03, 0.25);
        const double glide =
            std::clamp(d.course.uniform(-30000, 30000), (900 - hz) / length_s, (12000 - hz) / length_s);
        const int calls = d.course.between(1, 8);
        const double gap_s = length_s + d.course.log_uniform(0.02, 0.2);
        const double gain = d.course.log_uniform(0.2, 1.0);
        for (int i = 0; i < calls; ++i, t += gap_s) ring(d.out, frames_of(t), gain, hz, glide, 2.0, length_s);
    }
}

void insects(const AmbienceDraw& d) {
    const int animals = d.course.between(1, 4);
    for (int a = 0; a < animals; ++a) {
        const double hz = d.course.log_uniform(2200, 7000);
        const double pulse_hz = d.course.log_uniform(12, 60);
        const double song_s = d.course.log_uniform(0.3, 3.0);
        const double sung = d.course.uniform(0.3, 1.0);
        const double gain = d.course.log_uniform(0.2, 1.0);
        const double start_s = d.course.uniform(0, song_s);
        for (std::size_t i = 0; i < d.out.size(); ++i) {
            const double t = static_cast<double>(i) / kCorpusRate;
            if (std::fmod(t + start_s, song_s) > song_s * sung) continue;
            const double beat = 0.5 - 0.5 * std::cos(kTwoPi * pulse_hz * t);
            d.out[i] += static_cast<float>(gain * beat * std::sin(kTwoPi * std::fmod(hz * t, 1.0)));
        }
    }
}

// Barks, lowing, calls: short harmonic cries whose pitch rises and falls.
void animals(const AmbienceDraw& d) {
    const double f0_hz = d.course.log_uniform(90, 900);
    const double length_s = d.course.log_uniform(0.06, 0.9);
    const Wavetable cry(
        harmonic_gains(f0_hz * 1.4, d.course.between(4, 24), d.course.uniform(-8, -1), d.course), d.course);
    const double bend = d.course.uniform(-0.5, 0.5);
    for (double t = d.course.uniform(0, 1.0); t < seconds_of(d.out); t += d.course.log_uniform(0.5, 4.0)) {
        const int calls = d.course.between(1, 5);
        for (int c = 0; c < calls; ++c, t += length_s * d.course.uniform(1.3, 3.0)) {
            const std::size_t at = frames_of(t);
            const std::size_t length = frames_of(length_s * d.course.uniform(0.8, 1.2));
            const double pitch = d.course.uniform(0.94, 1.06);
            double phase = 0.0;
            for (std::size_t i = 0; i < length && at + i < d.out.size(); ++i) {
                const double along = static_cast<double>(i) / static_cast<double>(length);
                const double arch = std::sin(std::numbers::pi * along);
                phase += f0_hz * pitch * (1.0 + bend * arch) / kCorpusRate;
                phase -= std::floor(phase);
                d.out[at + i] += static_cast<float>(arch) * (cry.at(phase) + 0.15F * d.own.noise());
            }
        }
    }
}

void drips(const AmbienceDraw& d) {
    for (double t = d.course.uniform(0, 0.5); t < seconds_of(d.out); t += d.course.log_uniform(0.15, 1.5)) {
        const double hz = d.course.log_uniform(500, 3500);
        ring(d.out, frames_of(t), d.course.log_uniform(0.3, 1.2), hz, hz * d.course.uniform(2, 12),
             d.course.log_uniform(30, 150), 0.12);
    }
}

}  // namespace

std::span<const AmbienceFamily> event_families() {
    static constexpr std::array<AmbienceFamily, 18> kFamilies = {{{"bangs", bangs, 2.0, true},
                                                                  {"knocks", knocks, 1.0, true},
                                                                  {"clangs", clangs, 1.0, true},
                                                                  {"patterns", patterns, 0.8, true},
                                                                  {"ticking", ticking, 0.6, true},
                                                                  {"steps", steps, 1.0, true},
                                                                  {"keys", keys, 0.6, true},
                                                                  {"rustling", rustling, 0.8, true},
                                                                  {"clatter", clatter, 0.8, true},
                                                                  {"thunder", thunder, 0.5, true},
                                                                  {"handling", handling, 0.8, true},
                                                                  {"signals", signals, 1.2, true},
                                                                  {"telephones", telephones, 0.8, true},
                                                                  {"birds", birds, 0.8, true},
                                                                  {"insects", insects, 0.6, true},
                                                                  {"animals", animals, 0.6, true},
                                                                  {"drips", drips, 0.5, true},
                                                                  {"splashes",
                                                                   [](const AmbienceDraw& d) {
                                                                       drips(d);
                                                                       rustling(d);
                                                                   },
                                                                   0.3, true}}};
    return kFamilies;
}

const std::vector<std::string>& synthetic_ambiences() {
    static const std::vector<std::string> names = [] {
        std::vector<std::string> all;
        for (const auto& f : bed_families()) all.emplace_back(f.name);
        for (const auto& f : event_families()) all.emplace_back(f.name);
        return all;
    }();
    return names;
}

const AmbienceFamily& ambience_family(const std::string& name) {
    for (const auto families : {bed_families(), event_families()}) {
        for (const auto& f : families) {
            if (name == f.name) return f;
        }
    }
    return bed_families().front();
}

Stereo synthesise_ambience(const std::string& name, std::size_t frames, Rng& rng) {
    const std::uint64_t course_seed = rng.bits();
    const AmbienceFamily& family = ambience_family(name);
    Stereo out;
    for (auto& channel : out) {
        channel.assign(frames, 0.0F);
        Rng course(course_seed);
        family.make({channel, course, rng});
    }
    if (family.events) {  // they stand somewhere
        const double pan = rng.uniform();
        for (float& v : out[0]) v *= static_cast<float>(1.0 - 0.7 * pan);
        for (float& v : out[1]) v *= static_cast<float>(0.3 + 0.7 * pan);
    }
    return out;
}

}  // namespace rivlen::learn
