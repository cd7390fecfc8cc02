// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/world/mouth.h"

#include <algorithm>
#include <cmath>
#include <span>

#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/dsp/linear_prediction.h"
#include "learn/corpus.h"
#include "learn/world/voices.h"

namespace rivlen::learn {

namespace {

constexpr std::size_t kWindow = 1200;
constexpr float kEmphasis = 0.93F;       // so that the highs are fitted, too
constexpr std::size_t kPitchFrames = 2;  // of 5 ms, in one of fundamentals()

}  // namespace

Mouth mouth_of(const Samples& voice) {
    Mouth mouth;
    Samples sharp(voice.size());
    for (std::size_t i = 0; i < voice.size(); ++i)
        sharp[i] = voice[i] - (i > 0 ? kEmphasis * voice[i - 1] : 0.0F);
    const auto f0 = fundamentals(voice);
    LinearPredictor predictor(kMouthOrder, kWindow);
    std::vector<float> error(kWindow);
    for (std::size_t at = 0; at + kWindow <= sharp.size(); at += kMouthHop) {
        const std::span<const float> piece = std::span<const float>(sharp).subspan(at, kWindow);
        mouth.filters.emplace_back(kMouthOrder, 0.0);
        mouth.gains.push_back(0.0);
        const std::size_t pitch = at / kMouthHop / kPitchFrames;
        mouth.f0.push_back(pitch < f0.size() ? f0[pitch] : 0.0);
        if (!predictor.fit(piece)) continue;
        std::ranges::copy(predictor.coefficients().subspan(1), mouth.filters.back().begin());
        predictor.residual(piece, error);
        double sum = 0;
        for (const float e : error) sum += static_cast<double>(e) * static_cast<double>(e);
        mouth.gains.back() = std::sqrt(sum / static_cast<double>(kWindow - kMouthOrder));
    }
    return mouth;
}

float MouthFilter::sound(const std::vector<double>& filter, double excitation) {
    double y = excitation;
    for (std::size_t k = 0; k < kMouthOrder; ++k)
        y -= filter[k] * past_[(at_ + kMouthOrder - 1 - k) % kMouthOrder];
    past_[at_] = y;
    at_ = (at_ + 1) % kMouthOrder;
    dull_ = y + static_cast<double>(kEmphasis) * dull_;
    return static_cast<float>(dull_);
}

Samples whispered(const Samples& voice, Rng& rng) {
    const Mouth mouth = mouth_of(voice);
    const double voiced_gain = amplitude_of_db(rng.uniform(-10, -3));
    const double low_hz = rng.uniform(250, 600);
    MouthFilter filter;
    Samples out(voice.size(), 0.0F);
    for (std::size_t i = 0; i / kMouthHop < mouth.frames() && i < out.size(); ++i) {
        const std::size_t frame = i / kMouthHop;
        const double gain = mouth.gains[frame] * (mouth.f0[frame] > 0 ? voiced_gain : 1.0);
        out[i] = filter.sound(mouth.filters[frame], gain * rng.uniform(-1.7, 1.7));  // RMS of nearly one
    }
    BiquadFilter(Biquad::high_pass(kCorpusRate, low_hz, 0.7)).process(out);
    return out;
}

}  // namespace rivlen::learn
