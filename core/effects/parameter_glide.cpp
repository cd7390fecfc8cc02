// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/parameter_glide.h"

#include <algorithm>
#include <cmath>
#include <string_view>

namespace rivlen {

namespace {
constexpr double kWaySeconds = 0.04;
}  // namespace

ParameterGlide::ParameterGlide(EffectType kind, int sample_rate)
    : count_(info(kind).parameters.size()),
      steps_(static_cast<int>(std::lround(kWaySeconds * sample_rate / static_cast<double>(kStepFrames)))) {
    for (std::size_t i = 0; i < count_; ++i) {
        const ParameterInfo& parameter = info(kind).parameters[i];
        const std::string_view unit = parameter.unit;
        by_ratio_[i] = parameter.lowest > 0 && (unit == "Hz" || unit.empty());
        now_[i] = target_[i] = parameter.standard;
    }
}

void ParameterGlide::set(std::span<const double> values) {
    const auto count = static_cast<std::ptrdiff_t>(std::min(values.size(), count_));
    if (begun_ && std::equal(values.begin(), values.begin() + count, target_.begin())) return;
    std::copy_n(values.begin(), count, target_.begin());
    to_go_ = begun_ ? steps_ : 0;
    if (!begun_) now_ = target_;
    begun_ = true;
}

void ParameterGlide::reset() {
    now_ = target_;
    to_go_ = 0;
    until_step_ = kStepFrames;
    begun_ = false;
}

std::size_t ParameterGlide::unchanged(std::size_t frames) const {
    return to_go_ == 0 ? frames : std::min(frames, until_step_);
}

bool ParameterGlide::pass(std::size_t frames) {
    if (to_go_ == 0) return false;
    until_step_ -= frames;
    if (until_step_ > 0) return false;
    until_step_ = kStepFrames;
    for (std::size_t i = 0; i < count_; ++i) {
        if (now_[i] == target_[i]) continue;
        if (to_go_ == 1)
            now_[i] = target_[i];
        else if (by_ratio_[i])
            now_[i] *= std::pow(target_[i] / now_[i], 1.0 / to_go_);
        else
            now_[i] += (target_[i] - now_[i]) / to_go_;
    }
    --to_go_;
    return true;
}

}  // namespace rivlen
