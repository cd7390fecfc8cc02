// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/songs/held_singing.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "learn/corpus.h"
#include "learn/world/mouth.h"

namespace rivlen::learn {

namespace {

// A syllable: where its consonant begins, where its vowel lies and where it ends, in frames.
struct Syllable {
    std::size_t first, vowel, last;
};

std::vector<Syllable> syllables_of(const Mouth& mouth) {
    constexpr std::size_t kShortestVowel = 14, kConsonant = 22, kTail = 12;  // 70, 110 and 60 ms
    std::vector<Syllable> out;
    for (std::size_t i = 0; i < mouth.frames();) {
        if (mouth.f0[i] <= 0.0) {
            ++i;
            continue;
        }
        std::size_t end = i;
        while (end < mouth.frames() && mouth.f0[end] > 0.0) ++end;
        if (end - i >= kShortestVowel) {
            const auto loudest = std::max_element(mouth.gains.begin() + static_cast<std::ptrdiff_t>(i),
                                                  mouth.gains.begin() + static_cast<std::ptrdiff_t>(end));
            const std::size_t before = out.empty() ? 0 : out.back().vowel + 1;
            out.push_back({std::max(before, i > kConsonant ? i - kConsonant : 0),
                           static_cast<std::size_t>(loudest - mouth.gains.begin()),
                           std::min(mouth.frames(), end + kTail)});
        }
        i = end;
    }
    return out;
}

// Which frames a note plays: the syllable, its vowel held to and fro around where it is loudest.
std::vector<std::size_t> frames_of(const Syllable& s, std::size_t wanted, Rng& rng) {
    std::vector<std::size_t> out;
    const std::size_t own = s.last - s.first;
    for (std::size_t i = s.first; i < s.vowel; ++i) out.push_back(i);
    const double swing = rng.uniform(0, 5), pace = rng.uniform(0.02, 0.3);
    for (std::size_t k = own; k < wanted; ++k) {
        const double at =
            static_cast<double>(s.vowel) + swing * std::sin(pace * static_cast<double>(k - own));
        out.push_back(static_cast<std::size_t>(
            std::clamp(std::lround(at), static_cast<long>(s.first), static_cast<long>(s.last) - 1)));
    }
    for (std::size_t i = s.vowel; i < s.last; ++i) out.push_back(i);
    if (out.size() > wanted) out.resize(wanted);
    return out;
}

// How somebody sings.
struct Manner {
    double vibrato, vibrato_hz, vibrato_after_s, glide_s, breath, tilt, jitter;
};
Manner some_manner(Rng& rng) {
    return {rng.chance(0.75) ? rng.uniform(0.1, 0.7) : 0.0,
            rng.uniform(4.2, 6.8),
            rng.uniform(0, 0.5),
            rng.log_uniform(0.01, 0.15),
            amplitude_of_db(rng.uniform(-32, -10)),
            rng.uniform(0, 0.75),
            rng.uniform(0, 0.012)};
}

class Throat {
  public:
    Throat(const Mouth& mouth, const Manner& manner, Rng& rng) : mouth_(mouth), manner_(manner), rng_(rng) {}
    // One frame at a pitch, behind what is there.
    void sing(std::size_t frame, double key, Samples& out) {
        const double hz = 440 * std::exp2((key - 69) / 12) * (1 + manner_.jitter * rng_.uniform(-1, 1));
        const bool voiced = mouth_.f0[frame] > 0.0;
        for (std::size_t i = 0; i < kMouthHop; ++i) {
            phase_ += hz / kCorpusRate;
            double pulse = 0;
            if (phase_ >= 1) {
                phase_ -= 1;
                pulse = std::sqrt(kCorpusRate / hz);
            }
            source_ += (1 - manner_.tilt) * (pulse - source_);
            const double noise = rng_.uniform(-1.7, 1.7);
            const double excitation =
                mouth_.gains[frame] * (voiced ? source_ + manner_.breath * noise : noise);
            out.push_back(filter_.sound(mouth_.filters[frame], excitation));
        }
    }

  private:
    const Mouth& mouth_;
    const Manner& manner_;
    Rng& rng_;
    MouthFilter filter_;
    double phase_ = 0, source_ = 0;
};

double middle_key(const Mouth& mouth) {
    std::vector<double> voiced;
    for (const double f : mouth.f0) {
        if (f > 0) voiced.push_back(69 + 12 * std::log2(f / 440));
    }
    const auto middle = voiced.begin() + static_cast<std::ptrdiff_t>(voiced.size() / 2);
    std::ranges::nth_element(voiced, middle);
    return *middle;
}

}  // namespace

Samples held_singing(const Samples& voice, std::span<const SungNote> notes, Rng& rng) {
    const Mouth mouth = mouth_of(voice);
    const auto syllables = syllables_of(mouth);
    constexpr std::size_t kFewest = 3;
    if (syllables.size() < kFewest || notes.empty()) return {};
    double middle = 0;
    for (const auto& note : notes) middle += note.key;
    middle /= static_cast<double>(notes.size());
    const double octaves = 12 * std::round((middle_key(mouth) + 4 - middle) / 12);
    const Manner manner = some_manner(rng);
    Throat throat(mouth, manner, rng);
    const double held = rng.uniform(0.7, 1.0);  // of a note
    const auto total = static_cast<std::size_t>(notes.back().end_s * kCorpusRate);
    Samples out;
    double begin_s = 0, before = notes.front().key;
    for (std::size_t n = 0; n < notes.size(); ++n) {
        const double end_s = notes[n].end_s;
        const auto wanted =
            static_cast<std::size_t>(std::max(0.0, held * (end_s - begin_s)) * kCorpusRate / kMouthHop);
        std::size_t sung = 0;
        for (const std::size_t frame : frames_of(syllables[n % syllables.size()], wanted, rng)) {
            const double t = static_cast<double>(sung++ * kMouthHop) / kCorpusRate;
            const double arrived = std::min(1.0, t / manner.glide_s);
            const double swells = std::clamp((t - manner.vibrato_after_s) / 0.3, 0.0, 1.0);
            const double vibrato = manner.vibrato * swells * std::sin(kTwoPi * manner.vibrato_hz * t);
            throat.sing(frame, before + (notes[n].key - before) * arrived + octaves + vibrato, out);
        }
        before = notes[n].key;
        begin_s = end_s;
        out.resize(std::max(out.size(), std::min(total, static_cast<std::size_t>(end_s * kCorpusRate))),
                   0.0F);
    }
    if (out.size() > total) out.resize(total);
    return out;
}

}  // namespace rivlen::learn
