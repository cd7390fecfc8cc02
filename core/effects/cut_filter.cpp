// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/cut_filter.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rivlen {

namespace {
constexpr double kSectionSlope = 12.0;  // dB per octave
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

double CutFilter::magnitude(EffectType kind, int sample_rate, std::span<const double> values, double hz) {
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
}

void CutFilter::set(std::span<const double> values) {
    const double hz = values[parameter::kCutHz];
    const double slope = values[parameter::kCutSlope];
    if (hz == hz_ && slope == slope_) return;
    hz_ = hz;
    slope_ = slope;
    const std::size_t count = sections_of(slope);
    const Sections all = sections(kind_, sample_rate_, hz, count);
    for (auto& channel : filters_) {
        for (std::size_t k = 0; k < count; ++k) {
            channel[k].set(all[k]);
            if (k >= count_) channel[k].reset();
        }
    }
    count_ = count;
}

void CutFilter::process(StereoBlock block) {
    for (std::size_t c = 0; c < kMixChannels; ++c) {
        for (std::size_t k = 0; k < count_; ++k) filters_[c][k].process(block[c]);
    }
}

}  // namespace rivlen
