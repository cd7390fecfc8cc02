// SPDX-License-Identifier: GPL-3.0-or-later
// The filter of the mouth, taken from speech by linear prediction and played anew by another excitation than
// the voice's own (B. S. Atal, S. L. Hanauer, "Speech analysis and synthesis by linear prediction of the
// speech wave", JASA 50, 1971).
#pragma once

#include <array>
#include <cstddef>
#include <vector>

#include "learn/world/sound.h"

namespace rivlen::learn {

inline constexpr std::size_t kMouthOrder = 44;  // of the filter, at kCorpusRate
inline constexpr std::size_t kMouthHop = 240;   // frames of sound a frame of the mouth: 5 ms

// What a voice says, frame by frame.
struct Mouth {
    std::vector<std::vector<double>> filters;  // a[1] to a[order]
    std::vector<double> gains;                 // of the excitation, RMS
    std::vector<double> f0;                    // Hz; 0: not voiced
    [[nodiscard]] std::size_t frames() const { return filters.size(); }
};
[[nodiscard]] Mouth mouth_of(const Samples& voice);

// Makes an excitation sound like the mouth, sample by sample.
class MouthFilter {
  public:
    [[nodiscard]] float sound(const std::vector<double>& filter, double excitation);

  private:
    std::array<double, kMouthOrder> past_{};
    std::size_t at_ = 0;
    double dull_ = 0;
};

// The voice as if it whispered: breath in place of its pitch, which is lower in level where the voice was
// loudest and has little below 400 Hz. As long as the voice.
[[nodiscard]] Samples whispered(const Samples& voice, Rng& rng);

}  // namespace rivlen::learn
