// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/hiss.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/effects/noise_shape.h"

namespace rivlen {

namespace {
constexpr double kHissSeconds = 0.043;
constexpr float kDirected = 0.98F;
constexpr float kLeastRatio = 0.003F;  // of signal to noise, -25 dB
// Third octave: from f 2^(-1/6) to f 2^(1/6).
double third_octave_width() {
    return kNoiseMiddleHz * (std::exp2(1.0 / 6) - std::exp2(-1.0 / 6));
}
}  // namespace

HissRemover::HissRemover(int sample_rate, std::size_t channels)
    : StftProcessor(sample_rate, kHissSeconds, channels), noise_(bins()), before_(bins()) {
    shape_db_.reserve(kNoisePlaces);
}

double HissRemover::third_octave_db(double density) {
    return db_of_power(density * third_octave_width());
}

void HissRemover::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Hiss> values(all);
    if (values == values_) return;
    values_ = values;
    floor_ = static_cast<float>(amplitude_of_db(values[parameter::kHissMaxReductionDb]));
    first_ = bin_of(values[parameter::kHissFromHz]);
    take_noise();
}

void HissRemover::set_noise_shape(std::span<const float> shape_db) {
    shape_db = shape_db.first(std::min(shape_db.size(), kNoisePlaces));
    if (std::ranges::equal(shape_db, shape_db_)) return;
    shape_db_.assign(shape_db.begin(), shape_db.end());
    take_noise();
}

void HissRemover::take_noise() {
    const double level =
        power_of_db(values_[parameter::kHissLevelDb]) / third_octave_width() * power_of_density();
    for (std::size_t b = 0; b < noise_.size(); ++b) {
        const double octaves = std::log2(std::max(hz_of(b), 1.0) / kNoiseMiddleHz);
        noise_[b] = static_cast<float>(level * power_of_db(values_[parameter::kHissTiltDb] * octaves +
                                                           noise_shape_db(shape_db_, hz_of(b))));
    }
}

void HissRemover::forget_levels() {
    std::ranges::fill(before_, 0.0F);
}

void HissRemover::weigh(std::span<const float> power, std::span<float> gains) {
    for (std::size_t b = first_; b < gains.size(); ++b) {
        const float noise = std::max(noise_[b], 1e-20F);
        const float posterior = power[b] / noise;
        const float prior =
            std::max(kLeastRatio, kDirected * before_[b] + (1 - kDirected) * std::max(posterior - 1, 0.0F));
        const float wiener = prior / (1 + prior);
        before_[b] = wiener * wiener * posterior;
        // Over the first half octave the gains come in.
        const float in = std::min(1.0F, static_cast<float>(b - first_) / (0.4F * static_cast<float>(first_)));
        gains[b] = 1 + in * (std::max(floor_, wiener) - 1);
    }
}

}  // namespace rivlen
