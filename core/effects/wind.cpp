// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/wind.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kWindSeconds = 0.085;
constexpr double kLowHz = 20, kLowTopHz = 48, kVoiceHz = 250, kVoiceTopHz = 1500;
constexpr double kVoiceSeconds = 0.5, kPresenceSeconds = 0.1;
constexpr double kWindFromDb = -6, kSurelyWindDb = 4;  // mean power a bin, lows against the voice's band
constexpr double kLeastWindPower = 1e-8;               // a bin
constexpr double kTakeMore = 2.5;                      // than the line says: wind is uneven
constexpr double kNoVoiceHz = 65;                      // below it there is only wind
}  // namespace

WindRemover::WindRemover(int sample_rate, std::size_t channels)
    : StftProcessor(sample_rate, kWindSeconds, channels),
      low_first_(std::max<std::size_t>(1, bin_of(kLowHz))),
      low_last_(bin_of(kLowTopHz)),
      voice_first_(bin_of(kVoiceHz)),
      voice_last_(bin_of(kVoiceTopHz)),
      keep_(std::exp(-hop_seconds() / kVoiceSeconds)),
      smooth_(bins()),
      fall_(bins()) {}

void WindRemover::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Wind> values(all);
    if (values == values_) return;
    values_ = values;
    floor_ = amplitude_of_db(values[parameter::kWindMaxReductionDb]);
    const double middle = std::sqrt(kLowHz * kLowTopHz);
    for (std::size_t b = 0; b < fall_.size(); ++b) {
        const double octaves = std::log2(std::max(hz_of(b), middle) / middle);
        fall_[b] = static_cast<float>(power_of_db(-values[parameter::kWindFallDb] * octaves));
    }
}

void WindRemover::forget_levels() {
    voice_ = presence_ = 0;
    std::ranges::fill(smooth_, 0.0F);
    frames_ = windy_ = 0;
}

void WindRemover::weigh(std::span<const float> power, std::span<float> gains) {
    const auto mean = [&](std::size_t first, std::size_t last) {
        double sum = 0;
        for (std::size_t b = first; b <= last; ++b) sum += static_cast<double>(power[b]);
        return sum / static_cast<double>(last - first + 1);
    };
    const double low = mean(low_first_, low_last_);
    const double voice = mean(voice_first_, voice_last_);
    voice_ = std::max(voice, keep_ * voice_ + (1 - keep_) * voice);  // at once up, slowly down
    ++frames_;
    double wanted = 0;
    if (low > kLeastWindPower) {
        const double over = db_of_power(low / std::max(voice_, 1e-12));
        wanted = std::clamp((over - kWindFromDb) / (kSurelyWindDb - kWindFromDb), 0.0, 1.0);
    }
    if (wanted > 0.5) ++windy_;
    const double keep = wanted > presence_ ? 0.5 : std::exp(-hop_seconds() / kPresenceSeconds);
    presence_ = keep * presence_ + (1 - keep) * wanted;
    if (presence_ < 1e-3) presence_ = 0;
    const std::size_t last = bin_of(values_[parameter::kWindReachHz]);
    for (std::size_t b = 0; b <= last; ++b) smooth_[b] = 0.6F * smooth_[b] + 0.4F * power[b];
    if (presence_ == 0) return;
    for (std::size_t b = 0; b <= last; ++b) {
        const double wind = kTakeMore * low * static_cast<double>(fall_[b]);
        const double all = std::max(static_cast<double>(std::max(smooth_[b], power[b])), 1e-14);
        // Gains fade out over the upper half of the reach.
        const double place = static_cast<double>(b) / static_cast<double>(last);
        const double weight = presence_ * std::clamp(2 - 2 * place, 0.0, 1.0);
        const double left = hz_of(b) < kNoVoiceHz ? 0.0 : std::sqrt(std::max(0.0, 1 - wind / all));
        const double gain = std::max(floor_, left);
        gains[b] = static_cast<float>(1 + weight * (gain - 1));
    }
}

}  // namespace rivlen
