// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/gate.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"

namespace rivlen {

double Gate::static_db(const ParameterBlock<EffectType::Gate>& v, double in_db) {
    const double under = v[parameter::kGateThresholdDb] - in_db;
    if (under <= 0) return in_db;
    return in_db + std::max(-(v[parameter::kGateRatio] - 1) * under, v[parameter::kGateRangeDb]);
}

void Gate::reset() {
    level_.reset();
    open_.reset();
    hold_ = 0;
    lowest_db_ = 0;
}

void Gate::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Gate> values(all);
    if (values == values_) return;
    values_ = values;
    level_.set(0, kDetectorReleaseMs, sample_rate_);
    open_.set(values[parameter::kGateAttackMs], values[parameter::kGateReleaseMs], sample_rate_);
    loud_ = amplitude_of_db(values[parameter::kGateThresholdDb]);
    hold_frames_ = std::llround(values[parameter::kGateHoldMs] / 1000 * sample_rate_);
}

void Gate::process(StereoBlock block) {
    lowest_db_ = 0;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        const float peak = std::max(std::abs(block[0][i]), std::abs(block[1][i]));
        const double level = level_.step(static_cast<double>(peak));
        double wanted = 0;
        if (level >= loud_) {
            hold_ = hold_frames_;
        } else if (hold_ > 0) {
            --hold_;
        } else {
            const double in_db = db_of_amplitude(level);
            wanted = static_db(values_, in_db) - in_db;
        }
        const double gain_db = open_.step(wanted);
        lowest_db_ = std::min(lowest_db_, gain_db);
        if (gain_db > -1e-9) continue;
        const auto gain = static_cast<float>(amplitude_of_db(gain_db));
        for (auto& channel : block) channel[i] *= gain;
    }
}

}  // namespace rivlen
