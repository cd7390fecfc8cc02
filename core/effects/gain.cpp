// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/gain.h"

#include "core/dsp/decibels.h"
#include "core/dsp/glide.h"

namespace rivlen {

namespace {
constexpr double kGainGlideSeconds = 0.01;
}  // namespace

Gain::Gain(int sample_rate) : part_(static_cast<float>(glide_part(kGainGlideSeconds, sample_rate))) {}

void Gain::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Gain> values(all);
    const double gain_db = values[parameter::kGainDb];
    target_ = gain_db <= info(EffectType::Gain).parameters[0].lowest
                  ? 0.0F
                  : static_cast<float>(amplitude_of_db(gain_db));
    if (!begun_) now_ = target_;
}

void Gain::process(ChannelBlock block) {
    begun_ = true;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        now_ = glided(now_, target_, part_);
        for (auto& channel : block) channel[i] *= now_;
    }
}

}  // namespace rivlen
