// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/world/music.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "learn/corpus.h"
#include "learn/world/scales.h"

namespace rivlen::learn {

namespace {

double frequency_of(double root_hz, const Scale& scale, int degree) {
    return root_hz * std::pow(2.0, semitones_of(scale, degree) / 12.0);
}

// An instrument: a spectrum, an envelope, a vibrato.
class Instrument {
  public:
    explicit Instrument(Rng& rng)
        : table_(harmonic_gains(100.0, rng.between(1, 20), rng.uniform(-12, -1), rng), rng),
          attack_s_(rng.log_uniform(0.003, 0.15)),
          decay_(rng.chance(0.5) ? rng.log_uniform(0.05, 0.6) : rng.log_uniform(1.0, 8.0)),
          vibrato_cents_(rng.chance(0.4) ? rng.uniform(5, 40) : 0.0),
          vibrato_hz_(rng.uniform(4, 7)) {}
    void play(Samples& to, double start_s, double length_s, double frequency_hz, double gain) const {
        const std::size_t at = frames_of(start_s);
        const std::size_t length = frames_of(length_s + 0.1);
        double phase = 0.0;
        for (std::size_t i = 0; i < length && at + i < to.size(); ++i) {
            const double t = static_cast<double>(i) / kCorpusRate;
            const double in = std::min(1.0, t / attack_s_);
            const double out = std::min(1.0, (length_s + 0.1 - t) / 0.1);
            const double bend = vibrato_cents_ * std::sin(6.283185307179586 * vibrato_hz_ * t) / 1200.0;
            phase += frequency_hz * (vibrato_cents_ > 0.0 ? std::exp2(bend) : 1.0) / kCorpusRate;
            phase -= std::floor(phase);
            to[at + i] += static_cast<float>(gain * in * out * std::exp(-decay_ * t)) * table_.at(phase);
        }
    }

  private:
    Wavetable table_;
    double attack_s_, decay_, vibrato_cents_, vibrato_hz_;
};

struct Song {
    double beat_s, root_hz, seconds;
    Scale scale;
};

void chords(Samples& to, const Song& song, Rng& rng) {
    const Instrument organ(rng);
    const int notes = rng.between(2, 5);
    const double length_s = song.beat_s * std::exp2(rng.between(0, 4));
    for (double t = -rng.uniform(0, length_s); t < song.seconds; t += length_s) {
        const int degree = rng.between(-4, 4);
        for (int n = 0; n < notes; ++n)
            organ.play(to, std::max(0.0, t), length_s,
                       frequency_of(song.root_hz, song.scale, degree + 2 * n + 7),
                       0.4 * rng.log_uniform(0.6, 1.4));
    }
}

void melody(Samples& to, const Song& song, Rng& rng) {
    const Instrument voice(rng);
    int degree = rng.between(7, 21);
    for (double t = rng.uniform(0, song.beat_s); t < song.seconds;) {
        const double length_s = song.beat_s * std::exp2(rng.between(-2, 1));
        if (!rng.chance(0.12))
            voice.play(to, t, length_s * 0.95, frequency_of(song.root_hz, song.scale, degree), 1.0);
        degree = std::clamp(degree + rng.between(-3, 3), 3, 28);
        t += length_s;
    }
}

void bass(Samples& to, const Song& song, Rng& rng) {
    const Instrument low(rng);
    const double length_s = song.beat_s * std::exp2(rng.between(-1, 1));
    for (double t = 0.0; t < song.seconds; t += length_s) {
        if (rng.chance(0.15)) continue;
        low.play(to, t, length_s * 0.9, frequency_of(song.root_hz, song.scale, rng.between(-7, 0)), 1.5);
    }
}

void drums(Samples& to, const Song& song, Rng& rng) {
    const double kick_hz = rng.uniform(45, 80);
    const double snare_hz = rng.uniform(1200, 4000);
    const double hat_hz = rng.uniform(7000, 11000);
    const bool eighths = rng.chance(0.6);
    int beat = 0;
    for (double t = 0.0; t < song.seconds; t += song.beat_s / 2.0, ++beat) {
        const std::size_t at = frames_of(t);
        if (beat % 4 == 0 || rng.chance(0.1)) ring(to, at, 3.0, kick_hz * 2.2, -kick_hz * 8.0, 14.0, 0.15);
        if (beat % 4 == 2) burst(to, at, 6.0, snare_hz, 0.6, rng.uniform(18, 30), rng);
        if (eighths || beat % 2 == 0) burst(to, at, 2.5, hat_hz, 1.0, rng.uniform(50, 130), rng);
    }
}

}  // namespace

Stereo synthesise_music(std::size_t frames, Rng& rng) {
    const Song song{60.0 / rng.uniform(60, 180), 55.0 * std::exp2(rng.uniform(0, 1)),
                    static_cast<double>(frames) / kCorpusRate, kScales[rng.below(kScales.size())]};
    using Part = void (*)(Samples&, const Song&, Rng&);
    constexpr std::array<Part, 4> kParts = {chords, melody, bass, drums};
    Stereo out = {Samples(frames, 0.0F), Samples(frames, 0.0F)};
    const std::size_t only = rng.chance(0.5) ? rng.below(kParts.size()) : kParts.size();
    for (std::size_t p = 0; p < kParts.size(); ++p) {
        if (only < kParts.size() ? p != only : rng.chance(0.3)) continue;
        Samples part(frames, 0.0F);
        kParts[p](part, song, rng);
        const double pan = rng.uniform(0.2, 0.8);
        add(out[0], part, static_cast<float>(2.0 * (1.0 - pan)));
        add(out[1], part, static_cast<float>(2.0 * pan));
    }
    return out;
}

}  // namespace rivlen::learn
