// SPDX-License-Identifier: GPL-3.0-or-later
// What a recording's sound says about its faults, measured. first_look.h draws the conclusions.
#pragma once

#include <array>
#include <span>
#include <vector>

namespace rivlen {

// Power of 50 ms frames, and the mean of the active ones: those within 25 dB of the 95th percentile. After
// the idea of ITU-T P.56 (active speech level), without its hangover.
struct SpeechLevel {
    double active_dbfs = -120;  // as a sine's peak would read, i.e. 3 dB over the mean power
    double peak_dbfs = -200;
};
[[nodiscard]] SpeechLevel measure_speech(std::span<const float> mono, int sample_rate);

// Lines that stand still in the long-term spectrum while a voice comes and goes: the first quartile of each
// bin's power over Hann windows of about 2.7 s, against the median of what lies around it.
struct HumEvidence {
    double frequency_hz = 0;
    int tones = 0;             // that stand out by 10 dB and more
    int highest = 0;           // number of the highest of them
    double clearest_db = 0;    // by how much the clearest of the lowest three stands out
    double level_dbfs = -120;  // of all together, as a sine's peak
};
[[nodiscard]] HumEvidence find_hum(std::span<const float> mono, int sample_rate);

// Flat tops: a height that occurs far more often than those around it, in runs of three samples or more.
// Clicks may stand above it.
struct ClipEvidence {
    std::size_t runs = 0;
    double level_dbfs = 0;  // lower edge of the tops
    bool clipped = false;   // there are many, and many more than just under the level
};
[[nodiscard]] ClipEvidence find_clipping(std::span<const float> mono);

// The quietest tenth of the time from 1 kHz up, as a line over octaves.
struct HissEvidence {
    double third_octave_dbfs = -150;  // around 4 kHz
    double tilt_db = 0;               // per octave, of the density
    double level_dbfs = -150;         // of all of it above 1 kHz, as a sine's peak
    double rough_db = 0;              // RMS distance of the bands from the line
    double unsteady_db = 0;           // from the quietest tenth to the quietest third, mean of the bands
};
[[nodiscard]] HissEvidence find_hiss(std::span<const float> mono, int sample_rate);

// Of the active frames.
struct SpectrumEvidence {
    double sibilance_db = -60;  // 98th percentile of 6 to 10 kHz in 20 ms, against the active level
    double low_edge_db = 0;     // mean density 300 to 1000 Hz over that of 80 to 200 Hz
    double high_edge_db = 0;    // mean density 1 to 3 kHz over that of 5 to 7 kHz
    // Third octaves around 450, 1200 and 2700 Hz against the long-term spectrum of speech, mean 0.
    std::array<double, 3> colour_db{};
};
[[nodiscard]] SpectrumEvidence measure_spectrum(std::span<const float> mono, int sample_rate);

// Reverberation from the ends of words: falls of 9 dB and more of the level (10 ms, 500 Hz to 4 kHz), the
// median of the slopes of their lower halves (idea: K. Lebart, J. M. Boucher, P. N. Denbigh, Acta Acustica
// 87, 2001). 0: no such falls.
struct DecayEvidence {
    double seconds = 0;  // for 60 dB
    std::size_t falls = 0;
};
[[nodiscard]] DecayEvidence measure_decay(std::span<const float> mono, int sample_rate);

}  // namespace rivlen
