// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/de_esser.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kMovedBy = 0.01;  // of its frequency: what is worth moving the bell for
double highest_hz(const ParameterBlock<EffectType::DeEsser>& v) {
    return std::max(v[parameter::kEssHighHz], v[parameter::kEssLowHz] * 1.1);
}
}  // namespace

DeEsser::DeEsser(int sample_rate, std::size_t channels)
    : sample_rate_(sample_rate),
      filters_(channels),
      bells_(channels),
      last_(channels),
      // as long for all numbers of channels, which one after the other go into it
      track_part_(1 - one_pole(kTrackSeconds * 500 * static_cast<double>(channels), sample_rate)) {}

Biquad DeEsser::band(int sample_rate, const ParameterBlock<EffectType::DeEsser>& v) {
    const double low = v[parameter::kEssLowHz];
    const double high = highest_hz(v);
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
    for (auto* filters : {&filters_, &bells_}) {
        for (auto& filter : *filters) filter.reset();
    }
    std::ranges::fill(last_, 0.0F);
    power_ = difference_power_ = bell_hz_ = 0;
    until_move_ = kTrackFrames;
    if (follow_ > 0) place_bell();
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
    const double before = follow_;
    follow_ = values[parameter::kEssFollowPercent] / 100;
    if (before == 0) bells_ = filters_;
    bell_hz_ = 0;
    place_bell();
}

// The mean square frequency of a signal follows from the power of its first difference, |1 - e^(-jw)|^2 = 4
// sin^2(w / 2).
void DeEsser::track(std::span<const float> part, bool hisses) {
    for (std::size_t c = 0; c < last_.size(); ++c) {
        const auto x = static_cast<double>(part[c]);
        const double d = x - static_cast<double>(last_[c]);
        last_[c] = part[c];
        if (!hisses) continue;
        power_ += track_part_ * (x * x - power_);
        difference_power_ += track_part_ * (d * d - difference_power_);
    }
    if (--until_move_ > 0) return;
    until_move_ = kTrackFrames;
    place_bell();
}

void DeEsser::place_bell() {
    const double low = values_[parameter::kEssLowHz];
    const double high = highest_hz(values_);
    const double middle = std::sqrt(low * high);
    double own = middle;
    if (power_ > 0)
        own = sample_rate_ / std::numbers::pi *
              std::asin(std::sqrt(std::min(1.0, difference_power_ / (4 * power_))));
    const double hz = middle * std::pow(std::clamp(own, low, high) / middle, follow_);
    if (std::abs(hz / std::max(bell_hz_, 1.0) - 1) < kMovedBy) return;
    bell_hz_ = hz;
    for (auto& bell : bells_)
        bell.set(Biquad::band_pass(sample_rate_, hz, middle / (high - low) / (1 - follow_ / 2)));
}

void DeEsser::process(ChannelBlock block) {
    lowest_db_ = 0;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        std::array<float, kMostChannels> part;  // of which the first are written
        double band_power = 0;
        double whole_power = 0;
        for (std::size_t c = 0; c < last_.size(); ++c) {
            part[c] = filters_[c].step(block[c][i]);
            band_power += static_cast<double>(part[c]) * static_cast<double>(part[c]);
            whole_power += static_cast<double>(block[c][i]) * static_cast<double>(block[c][i]);
        }
        const double in_band = band_.step(band_power);
        const double in_all = whole_.step(whole_power);
        double wanted = 0;
        const bool hisses = in_band > share_ * in_all && in_band > kSilence;
        if (hisses)
            wanted = std::clamp(db_of_power(in_band / in_all) - values_[parameter::kEssThresholdDb], 0.0,
                                values_[parameter::kEssMaxReductionDb]);
        if (follow_ > 0) {
            track(std::span(part).first(last_.size()), hisses);
            for (std::size_t c = 0; c < last_.size(); ++c) part[c] = bells_[c].step(block[c][i]);
        }
        const double reduction = reduction_.step(wanted);
        if (reduction < 1e-6) continue;
        lowest_db_ = std::min(lowest_db_, -reduction);
        const auto less = static_cast<float>(amplitude_of_db(-reduction) - 1);
        for (std::size_t c = 0; c < last_.size(); ++c) block[c][i] += less * part[c];
    }
}

}  // namespace rivlen
