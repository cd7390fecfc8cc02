// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/world/voices.h"

#include <rubberband/RubberBandStretcher.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <iterator>

#include "core/dsp/resample.h"
#include "learn/corpus.h"
#include "learn/world/scales.h"

namespace rivlen::learn {

namespace {

using RubberBand::RubberBandStretcher;

constexpr int kPitchRate = 12000;
constexpr double kPitchHop_s = 0.01;

double semitones(double factor) {
    return 12.0 * std::log2(factor);
}

// The notes of a made-up tune: where each ends (seconds) and how many semitones it lies from the voice's own
// pitch.
struct Note {
    double end_s, semitones;
};
std::vector<Note> tune(double seconds, Rng& rng) {
    std::vector<Note> notes;
    int degree = rng.between(-2, 3);
    const double beat_s = rng.uniform(0.2, 0.8);
    for (double t = 0.0; t < seconds;) {
        t += beat_s * std::exp2(rng.between(-1, 2));
        notes.push_back({t, static_cast<double>(semitones_of(kScales[0], degree))});
        degree = std::clamp(degree + rng.between(-2, 2), -4, 6);
    }
    return notes;
}

}  // namespace

Samples at_speed(const Samples& x, double speed) {
    return resample(x, kCorpusRate * speed, kCorpusRate);
}

Samples with_pitch(const Samples& voice, double factor) {
    RubberBandStretcher stretcher(kCorpusRate, 1,
                                  RubberBandStretcher::OptionProcessOffline |
                                      RubberBandStretcher::OptionFormantPreserved |
                                      RubberBandStretcher::OptionThreadingNever,
                                  1.0, factor);
    const float* in = voice.data();
    stretcher.study(&in, voice.size(), true);
    stretcher.process(&in, voice.size(), true);
    Samples out(static_cast<std::size_t>(std::max(0, stretcher.available())));
    float* to = out.data();
    stretcher.retrieve(&to, out.size());
    out.resize(voice.size(), 0.0F);
    return out;
}

std::vector<double> fundamentals(const Samples& voice) {
    constexpr std::size_t kWindow = kPitchRate / 25;
    constexpr std::size_t kShortest = kPitchRate / 420;
    constexpr std::size_t kLongest = kPitchRate / 70;
    constexpr double kVoiced = 0.55;  // of the energy repeats
    const Samples x = resample(voice, kCorpusRate, kPitchRate);
    std::vector<double> out;
    const auto hop = static_cast<std::size_t>(kPitchRate * kPitchHop_s);
    for (std::size_t at = 0; at + kWindow + kLongest < x.size(); at += hop) {
        double best = 0.0;
        std::size_t best_lag = 0;
        double energy = 1e-9;
        for (std::size_t i = 0; i < kWindow; ++i)
            energy += static_cast<double>(x[at + i]) * static_cast<double>(x[at + i]);
        double late_energy = 1e-9;
        for (std::size_t i = kShortest; i < kShortest + kWindow; ++i)
            late_energy += static_cast<double>(x[at + i]) * static_cast<double>(x[at + i]);
        for (std::size_t lag = kShortest; lag < kLongest; ++lag) {
            float sum = 0.0F;
            for (std::size_t i = 0; i < kWindow; ++i) sum += x[at + i] * x[at + i + lag];
            // Shorter periods first: a longer one must be clearly better, or octaves fall.
            const double match = static_cast<double>(sum) / std::sqrt(energy * late_energy) -
                                 0.0004 * static_cast<double>(lag);
            if (match > best) {
                best = match;
                best_lag = lag;
            }
            late_energy +=
                static_cast<double>(x[at + lag + kWindow]) * static_cast<double>(x[at + lag + kWindow]) -
                static_cast<double>(x[at + lag]) * static_cast<double>(x[at + lag]);
            late_energy = std::max(late_energy, 1e-9);
        }
        out.push_back(best > kVoiced && energy > 1e-6
                          ? static_cast<double>(kPitchRate) / static_cast<double>(best_lag)
                          : 0.0);
    }
    return out;
}

namespace {

// How somebody sings.
struct Singing {
    double stretch;              // of what is read, in time
    double vibrato, vibrato_hz;  // semitones
    std::function<double(double read_s)>
        semitones;  // from the voice's own pitch, where it has been read so far
};

// Middle pitch of a voice; 0 where it has too little of it.
double own_pitch_hz(const std::vector<double>& f0) {
    constexpr std::size_t kLeast = 30;
    std::vector<double> voiced;
    std::ranges::copy_if(f0, std::back_inserter(voiced), [](double f) { return f > 0.0; });
    if (voiced.size() < kLeast) return 0.0;
    const auto middle = voiced.begin() + static_cast<std::ptrdiff_t>(voiced.size() / 2);
    std::ranges::nth_element(voiced, middle);
    return *middle;
}

Samples sing(const Samples& voice, const std::vector<double>& f0, double own_hz, const Singing& singing) {
    constexpr std::size_t kBlock = 480;  // 10 ms, as the fundamentals
    RubberBandStretcher stretcher(
        kCorpusRate, 1,
        RubberBandStretcher::OptionProcessRealTime | RubberBandStretcher::OptionFormantPreserved |
            RubberBandStretcher::OptionThreadingNever | RubberBandStretcher::OptionPitchHighConsistency,
        singing.stretch, 1.0);
    Samples out;
    double now = 0.0;  // semitones to move by, gliding
    for (std::size_t at = 0; at + kBlock <= voice.size(); at += kBlock) {
        const double t = static_cast<double>(at) / kCorpusRate;
        const double f = at / kBlock < f0.size() ? f0[at / kBlock] : 0.0;
        if (f > 0.0) {
            const double wanted =
                singing.semitones(t) +
                singing.vibrato * std::sin(kTwoPi * singing.vibrato_hz * t * singing.stretch);
            now += 0.5 * (wanted - semitones(f / own_hz) - now);
        }
        stretcher.setPitchScale(std::exp2(std::clamp(now, -12.0, 14.0) / 12.0));
        const float* in = voice.data() + at;
        stretcher.process(&in, kBlock, at + 2 * kBlock > voice.size());
        const auto there = static_cast<std::size_t>(std::max(0, stretcher.available()));
        out.resize(out.size() + there);
        float* to = out.data() + out.size() - there;
        stretcher.retrieve(&to, there);
    }
    return out;
}

}  // namespace

Samples sung(const Samples& voice, Rng& rng) {
    const auto f0 = fundamentals(voice);
    const double own_hz = own_pitch_hz(f0);
    if (own_hz <= 0.0) return {};
    Singing singing{rng.log_uniform(1.1, 2.6), 0, 0, {}};
    const double transpose = rng.uniform(-3, 6);
    singing.vibrato = rng.chance(0.7) ? rng.uniform(0.1, 0.6) : 0.0;
    singing.vibrato_hz = rng.uniform(4.5, 6.5);
    const auto notes = tune(static_cast<double>(voice.size()) / kCorpusRate, rng);
    singing.semitones = [&, note = std::size_t{0}](double t) mutable {
        while (note + 1 < notes.size() && t > notes[note].end_s) ++note;
        return notes[note].semitones + transpose;
    };
    return sing(voice, f0, own_hz, singing);
}

Samples sung(const Samples& voice, std::span<const SungNote> notes, Rng& rng) {
    const auto f0 = fundamentals(voice);
    const double own_hz = own_pitch_hz(f0);
    if (own_hz <= 0.0 || notes.empty()) return {};
    constexpr double kMiddleCHz = 261.6256;
    constexpr int kMiddleC = 60;
    const double own_key = kMiddleC + semitones(own_hz / kMiddleCHz);
    Singing singing{rng.log_uniform(1.1, 2.6), 0, 0, {}};
    singing.vibrato = rng.chance(0.7) ? rng.uniform(0.1, 0.6) : 0.0;
    singing.vibrato_hz = rng.uniform(4.5, 6.5);
    // All notes by as many octaves as bring their middle nearest to the voice.
    double middle = 0;
    for (const auto& note : notes) middle += note.key;
    middle /= static_cast<double>(notes.size());
    const double octaves = 12 * std::round((own_key + 3 - middle) / 12);
    singing.semitones = [&, note = std::size_t{0}](double read_s) mutable {
        while (note + 1 < notes.size() && read_s * singing.stretch > notes[note].end_s) ++note;
        return notes[note].key + octaves - own_key;
    };
    Samples out = sing(voice, f0, own_hz, singing);
    const auto longest = static_cast<std::size_t>(notes.back().end_s * kCorpusRate);
    if (out.size() > longest) out.resize(longest);
    return out;
}

}  // namespace rivlen::learn
