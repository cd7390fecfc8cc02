// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/de_esser.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/dsp/decibels.h"

namespace rivlen {

Biquad DeEsser::band(int sample_rate, const ParameterBlock<EffectType::DeEsser>& v) {
    const double low = v[parameter::kEssLowHz];
    const double high = std::max(v[parameter::kEssHighHz], low * 1.1);
    const double middle = std::sqrt(low * high);
    return Biquad::band_pass(sample_rate, middle, middle / (high - low));
}

// A bell made of x + (g - 1) times a band-pass, from the band-pass's complex response.
double DeEsser::magnitude(int sample_rate, const ParameterBlock<EffectType::DeEsser>& values,
                          double reduction_db, double hz) {
    const Biquad b = band(sample_rate, values);
    const std::complex<double> z = std::polar(1.0, -2 * std::numbers::pi * hz / sample_rate);
    const std::complex<double> h = (b.b0 + b.b1 * z + b.b2 * z * z) / (1.0 + b.a1 * z + b.a2 * z * z);
    return std::abs(1.0 + (amplitude_of_db(reduction_db) - 1) * h);
}

void DeEsser::reset() {
    for (auto& filter : filters_) filter.reset();
    band_.reset();
    whole_.reset();
    reduction_.reset();
    lowest_db_ = 0;
}

void DeEsser::set(std::span<const double> all) {
    const ParameterBlock<EffectType::DeEsser> values(all);
    if (values == values_) return;
    values_ = values;
    for (auto& filter : filters_) filter.set(band(sample_rate_, values));
    share_ = power_of_db(values[parameter::kEssThresholdDb]);
    band_.set(kUpMs, kDownMs, sample_rate_);
    whole_.set(kUpMs, kDownMs, sample_rate_);
    reduction_.set(kUpMs, kDownMs, sample_rate_);
}

void DeEsser::process(StereoBlock block) {
    lowest_db_ = 0;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        std::array<float, kMixChannels> part{};
        double band_power = 0;
        double whole_power = 0;
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            part[c] = filters_[c].step(block[c][i]);
            band_power += static_cast<double>(part[c]) * static_cast<double>(part[c]);
            whole_power += static_cast<double>(block[c][i]) * static_cast<double>(block[c][i]);
        }
        const double in_band = band_.step(band_power);
        const double in_all = whole_.step(whole_power);
        double wanted = 0;
        if (in_band > share_ * in_all && in_band > kSilence)
            wanted = std::clamp(db_of_power(in_band / in_all) - values_[parameter::kEssThresholdDb], 0.0,
                                values_[parameter::kEssMaxReductionDb]);
        const double reduction = reduction_.step(wanted);
        if (reduction < 1e-6) continue;
        lowest_db_ = std::min(lowest_db_, -reduction);
        const auto less = static_cast<float>(amplitude_of_db(-reduction) - 1);
        for (std::size_t c = 0; c < kMixChannels; ++c) block[c][i] += less * part[c];
    }
}

}  // namespace rivlen
