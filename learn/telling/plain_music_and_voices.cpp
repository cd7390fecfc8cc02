// SPDX-License-Identifier: GPL-3.0-or-later
// Plain sounds that ambience must be told from: what is music, and what is a voice.
#include "learn/telling/plain_desk.h"
#include "learn/telling/plain_sounds.h"

namespace rivlen::learn {

namespace {

using namespace plain;  // NOLINT(google-build-using-namespace)

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

std::span<const PlainSound> plain_music_and_voices() {
    return kSounds;
}

}  // namespace rivlen::learn
