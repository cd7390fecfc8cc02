// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/cut_filter.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rivlen {

namespace {
constexpr double kSectionSlope = 12.0;  // dB per octave
constexpr double kSlopeFadeSeconds = 0.01, kRecentSeconds = 0.05;
std::size_t sections_of(double slope) {
    return static_cast<std::size_t>(std::clamp(std::lround(slope / kSectionSlope), 1L, 4L));
}
}  // namespace

CutFilter::CutFilter(EffectType kind, int sample_rate, std::size_t channels)
    : kind_(kind),
      sample_rate_(sample_rate),
      glide_(kind, sample_rate),
      now_{0, std::vector<std::array<BiquadFilter, kMostSections>>(channels)},
      before_(now_),
      share_step_(static_cast<float>(1.0 / (kSlopeFadeSeconds * sample_rate))),
      recent_(channels,
              std::vector<float>(static_cast<std::size_t>(std::lround(kRecentSeconds * sample_rate)))) {}

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
    for (auto* cascade : {&now_, &before_}) {
        for (auto& channel : cascade->filters) {
            for (auto& filter : channel) filter.reset();
        }
    }
    for (auto& channel : recent_) std::ranges::fill(channel, 0.0F);
    recent_at_ = 0;
    share_ = 1;
    fresh_ = true;
    glide_.reset();
    now_.count = wanted_;
    take_coefficients(now_);
}

void CutFilter::set(std::span<const double> all) {
    const ParameterBlock<EffectType::HighPass> values(all);
    wanted_ = sections_of(values[parameter::kCutSlope]);
    glide_.set(all);
    if (!fresh_) return;  // it glides there
    now_.count = wanted_;
    take_coefficients(now_);
}

float CutFilter::Cascade::step(std::size_t channel, float x) {
    for (std::size_t k = 0; k < count; ++k) x = filters[channel][k].step(x);
    return x;
}

void CutFilter::take_coefficients(Cascade& cascade) const {
    const Sections all =
        sections(kind_, sample_rate_, glide_.values()[parameter::kCutHz.index], cascade.count);
    for (auto& channel : cascade.filters) {
        for (std::size_t k = 0; k < cascade.count; ++k) channel[k].set(all[k]);
    }
}

// The new filters hear what came in last, so that they do not begin in the middle of a wave.
void CutFilter::change_slope(std::size_t count) {
    before_ = now_;
    for (auto& channel : now_.filters) channel.fill({});
    now_.count = count;
    take_coefficients(now_);
    const std::size_t size = recent_[0].size();
    for (std::size_t c = 0; c < recent_.size(); ++c) {
        for (std::size_t i = 0; i < size; ++i)
            static_cast<void>(now_.step(c, recent_[c][(recent_at_ + i) % size]));
    }
    share_ = 0;
}

void CutFilter::remember(ChannelBlock piece) {
    const std::size_t size = recent_[0].size();
    // What is longer than the ring would be written over again.
    const std::size_t skip = piece[0].size() - std::min(piece[0].size(), size);
    for (std::size_t i = skip; i < piece[0].size(); ++i) {
        for (std::size_t c = 0; c < recent_.size(); ++c) recent_[c][recent_at_] = piece[c][i];
        recent_at_ = recent_at_ + 1 == size ? 0 : recent_at_ + 1;
    }
}

// From the filters of before to those of now.
void CutFilter::fade(ChannelBlock piece) {
    for (std::size_t i = 0; i < piece[0].size(); ++i) {
        for (std::size_t c = 0; c < recent_.size(); ++c) {
            const float in = piece[c][i];
            piece[c][i] = now_.step(c, in);
            if (share_ < 1) piece[c][i] += (1 - share_) * (before_.step(c, in) - piece[c][i]);
        }
        share_ = std::min(1.0F, share_ + share_step_);
    }
}

void CutFilter::process(ChannelBlock block) {
    fresh_ = false;
    const std::size_t size = block[0].size();
    for (std::size_t at = 0; at < size;) {
        if (share_ == 1 && now_.count != wanted_) change_slope(wanted_);
        std::size_t count = glide_.unchanged(size - at);
        // Another change of slope waits for the end of the fade, which does not depend on blocks.
        if (share_ < 1)
            count = std::min(count, static_cast<std::size_t>(std::ceil((1 - share_) / share_step_)));
        const ChannelBlock piece = block.subblock(at, count);
        remember(piece);
        if (share_ < 1) {
            fade(piece);
        } else {
            for (std::size_t c = 0; c < recent_.size(); ++c) {
                for (std::size_t k = 0; k < now_.count; ++k) now_.filters[c][k].process(piece[c]);
            }
        }
        at += count;
        if (!glide_.pass(count)) continue;
        take_coefficients(now_);
        if (share_ < 1) take_coefficients(before_);
    }
}

}  // namespace rivlen
