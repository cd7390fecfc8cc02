// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/compressor.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kMarginDb = 0.01;   // so that rounding decides nothing
constexpr double kNothingDb = 1e-9;  // of reduction
constexpr double kLevelSeconds = 0.01;
}  // namespace

Compressor::Compressor(int sample_rate)
    : sample_rate_(sample_rate), level_(static_cast<std::size_t>(std::lround(kLevelSeconds * sample_rate))) {
    level_.reset(0.0F);
}

double Compressor::static_db(const ParameterBlock<EffectType::Compressor>& v, double in_db) {
    const double threshold = v[parameter::kThresholdDb];
    const double slope = 1 / v[parameter::kRatio] - 1;
    const double knee = v[parameter::kKneeDb];
    const double over = in_db - threshold;
    if (2 * over < -knee) return in_db;
    if (knee > 0 && 2 * std::abs(over) <= knee)
        return in_db + slope * (over + knee / 2) * (over + knee / 2) / (2 * knee);
    return in_db + slope * over;
}

void Compressor::reset() {
    for (auto& filter : side_) filter.reset();
    level_.reset(0.0F);
    reduction_.reset();
    lowest_db_ = 0;
}

void Compressor::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Compressor> values(all);
    if (values == values_) return;
    values_ = values;
    reduction_.set(values[parameter::kAttackMs], values[parameter::kReleaseMs], sample_rate_);
    for (auto& filter : side_)
        filter.set(Biquad::high_pass(sample_rate_, values[parameter::kSideChainHz], std::numbers::sqrt2 / 2));
    quiet_ = static_cast<float>(
        amplitude_of_db(values[parameter::kThresholdDb] - values[parameter::kKneeDb] / 2 - kMarginDb));
    make_up_ = static_cast<float>(amplitude_of_db(values[parameter::kMakeUpDb]));
}

void Compressor::process(StereoBlock block) {
    lowest_db_ = 0;
    const bool filtered = values_[parameter::kSideChainHz] >
                          info(EffectType::Compressor).parameters[parameter::kSideChainHz.index].lowest;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        float level = 0;
        for (std::size_t c = 0; c < kMixChannels; ++c)
            level = std::max(level, std::abs(filtered ? side_[c].step(block[c][i]) : block[c][i]));
        level = level_.step(level);
        // Levels in dB cost most of the time: they are asked for only where something is done.
        double wanted = 0;
        if (level > quiet_) {
            const auto in_db = static_cast<double>(quick_db_of_amplitude(level));
            wanted = in_db - static_db(values_, in_db);
        }
        const double reduction = reduction_.step(wanted);
        lowest_db_ = std::min(lowest_db_, -reduction);
        const float gain = reduction > kNothingDb
                               ? quick_amplitude_of_db(static_cast<float>(-reduction)) * make_up_
                               : make_up_;
        for (auto& channel : block) channel[i] *= gain;
    }
}

}  // namespace rivlen
