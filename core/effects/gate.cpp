// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/gate.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kMostGateLookSeconds = 0.01;
constexpr double kFullyOpenDb = -1e-9;
}  // namespace

Gate::Gate(int sample_rate, std::size_t channels)
    : sample_rate_(sample_rate),
      look_frames_(static_cast<std::size_t>(std::lround(kMostGateLookSeconds * sample_rate))),
      sides_(channels, Side{{}, {}, DelayLine(look_frames_)}) {}

double Gate::static_db(const ParameterBlock<EffectType::Gate>& v, double in_db) {
    const double under = v[parameter::kGateThresholdDb] - in_db;
    if (under <= 0) return in_db;
    return in_db + std::max(-(v[parameter::kGateRatio] - 1) * under, v[parameter::kGateRangeDb]);
}

void Gate::reset() {
    for (auto& side : sides_) {
        side.low.reset();
        side.high.reset();
        side.sound.reset();
    }
    level_.reset();
    gain_.reset();
    open_ = false;
    hold_ = 0;
    lowest_db_ = 0;
}

bool Gate::give_key(bool give) {
    give_key_ = give;
    return true;
}

void Gate::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Gate> values(all);
    if (values == values_) return;
    values_ = values;
    const auto frames = [&](double ms) { return std::llround(ms / 1000 * sample_rate_); };
    level_.set(0, kDetectorReleaseMs, sample_rate_);
    gain_.set(values[parameter::kGateAttackMs], values[parameter::kGateReleaseMs], sample_rate_);
    opens_ = amplitude_of_db(values[parameter::kGateThresholdDb]);
    closes_ = amplitude_of_db(values[parameter::kGateThresholdDb] - values[parameter::kGateHysteresisDb]);
    hold_frames_ = frames(values[parameter::kGateHoldMs]);
    key_late_ = look_frames_ -
                std::min(look_frames_, static_cast<std::size_t>(frames(values[parameter::kGateLookAheadMs])));
    const auto& range = info(EffectType::Gate).parameters;
    low_ = values[parameter::kGateKeyLowHz] > range[parameter::kGateKeyLowHz.index].lowest;
    high_ = values[parameter::kGateKeyHighHz] < range[parameter::kGateKeyHighHz.index].highest;
    for (auto& side : sides_) {
        const double q = std::numbers::sqrt2 / 2;
        side.low.set(Biquad::high_pass(sample_rate_, values[parameter::kGateKeyLowHz], q));
        side.high.set(Biquad::low_pass(sample_rate_, values[parameter::kGateKeyHighHz], q));
    }
}

// The gain at a level of the key, in dB.
double Gate::wanted_db(double level) {
    if (level >= opens_ || (open_ && level >= closes_)) {
        open_ = true;
        hold_ = hold_frames_;
        return 0;
    }
    if (open_ && hold_ > 0) {
        --hold_;
        return 0;
    }
    open_ = false;
    const auto in_db = static_cast<double>(quick_db_of_amplitude(static_cast<float>(level)));
    return static_db(values_, in_db) - in_db;
}

void Gate::process(ChannelBlock block) {
    lowest_db_ = 0;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        float peak = 0;
        std::array<float, kMostChannels> key;  // of which the first are written
        for (std::size_t c = 0; c < sides_.size(); ++c) {
            Side& side = sides_[c];
            side.sound.push(block[c][i]);
            key[c] = side.sound.ago(key_late_);
            if (low_) key[c] = side.low.step(key[c]);
            if (high_) key[c] = side.high.step(key[c]);
            peak = std::max(peak, std::abs(key[c]));
            block[c][i] = side.sound.ago(look_frames_);
        }
        const double wanted = wanted_db(level_.step(static_cast<double>(peak)));
        double gain_db = gain_.step(wanted);
        if (wanted == 0 && gain_db > kFullyOpenDb) {  // there, before numbers become too small to be fast
            gain_.reset();
            gain_db = 0;
        }
        lowest_db_ = std::min(lowest_db_, gain_db);
        if (give_key_) {
            for (std::size_t c = 0; c < sides_.size(); ++c) block[c][i] = key[c];
            continue;
        }
        if (gain_db > kFullyOpenDb) continue;
        const float gain = quick_amplitude_of_db(static_cast<float>(gain_db));
        for (auto& channel : block) channel[i] *= gain;
    }
}

}  // namespace rivlen
