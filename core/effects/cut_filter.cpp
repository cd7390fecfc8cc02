// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/cut_filter.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/glide.h"

namespace rivlen {

namespace {
constexpr double kSectionSlope = 12.0;  // dB per octave
constexpr double kCutGlideSeconds = 0.06;
constexpr double kArrived = 1e-4;  // of the frequency
std::size_t sections_of(double slope) {
    return static_cast<std::size_t>(std::clamp(std::lround(slope / kSectionSlope), 1L, 4L));
}
}  // namespace

CutFilter::Sections CutFilter::sections(EffectType kind, int sample_rate, double hz, std::size_t count) {
    Sections out;
    for (std::size_t k = 0; k < count; ++k) {
        const double angle =
            (2.0 * static_cast<double>(k) + 1.0) * std::numbers::pi / (4.0 * static_cast<double>(count));
        const double q = 1.0 / (2.0 * std::sin(angle));
        out[k] = kind == EffectType::HighPass ? Biquad::high_pass(sample_rate, hz, q)
                                              : Biquad::low_pass(sample_rate, hz, q);
    }
    return out;
}

double CutFilter::magnitude(EffectType kind, int sample_rate,
                            const ParameterBlock<EffectType::HighPass>& values, double hz) {
    const std::size_t count = sections_of(values[parameter::kCutSlope]);
    const Sections all = sections(kind, sample_rate, values[parameter::kCutHz], count);
    double product = 1;
    for (std::size_t k = 0; k < count; ++k) product *= all[k].magnitude(sample_rate, hz);
    return product;
}

void CutFilter::reset() {
    for (auto& channel : filters_) {
        for (auto& filter : channel) filter.reset();
    }
    until_step_ = kGlideFrames;
    if (hz_ == target_hz_) return;
    hz_ = target_hz_;
    take_coefficients();
}

void CutFilter::set(std::span<const double> all) {
    const ParameterBlock<EffectType::HighPass> values(all);
    const double hz = values[parameter::kCutHz];
    const double slope = values[parameter::kCutSlope];
    if (hz == target_hz_ && slope == slope_) return;
    const bool first = target_hz_ == 0;
    target_hz_ = hz;
    if (!first && slope == slope_) return;  // glides there
    if (first) hz_ = hz;
    slope_ = slope;
    const std::size_t before = count_;
    count_ = sections_of(slope);
    take_coefficients();
    for (auto& channel : filters_) {
        for (std::size_t k = before; k < count_; ++k) channel[k].reset();
    }
}

void CutFilter::take_coefficients() {
    const Sections all = sections(kind_, sample_rate_, hz_, count_);
    for (auto& channel : filters_) {
        for (std::size_t k = 0; k < count_; ++k) channel[k].set(all[k]);
    }
}

void CutFilter::process(StereoBlock block) {
    const double part = glide_part(kCutGlideSeconds, sample_rate_, kGlideFrames);
    const std::size_t size = block[0].size();
    for (std::size_t at = 0; at < size;) {
        const std::size_t count =
            hz_ == target_hz_ ? size - at : std::min(size - at, static_cast<std::size_t>(until_step_));
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            for (std::size_t k = 0; k < count_; ++k) filters_[c][k].process(block[c].subspan(at, count));
        }
        at += count;
        if (hz_ == target_hz_) continue;
        until_step_ -= static_cast<int>(count);
        if (until_step_ > 0) continue;
        until_step_ = kGlideFrames;
        hz_ *= std::pow(target_hz_ / hz_, part);
        if (std::abs(hz_ / target_hz_ - 1.0) < kArrived) hz_ = target_hz_;
        take_coefficients();
    }
}

}  // namespace rivlen
