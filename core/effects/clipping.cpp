// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/clipping.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kClippingHopSeconds = 0.02;
constexpr std::size_t kClippingHops = 4;
constexpr int kRounds = 3;
std::size_t clipping_hop_frames(int rate) {
    return static_cast<std::size_t>(std::lround(kClippingHopSeconds * rate));
}
}  // namespace

ClippingRepair::ClippingRepair(int sample_rate, std::size_t channels)
    : OverlapAddProcessor(kClippingHops * clipping_hop_frames(sample_rate), clipping_hop_frames(sample_rate),
                          channels),
      predictor_(kOrder, window()),
      interpolator_(kOrder, window()),
      was_(window()),
      rebuilt_(channels) {
    missing_.reserve(window());
    open_.reserve(window());
}

void ClippingRepair::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Clipping> values(all);
    if (values == values_) return;
    values_ = values;
    level_ = amplitude_of_db(values[parameter::kClipLevelDb]);
    most_ = level_ * amplitude_of_db(values[parameter::kClipMaxReductionDb]);
}

// Everything behind what was rebuilt before, up to the last hop, which is only there to be predicted from.
void ClippingRepair::repair(std::span<float> sound, std::size_t& rebuilt) {
    const auto clips = [&](std::size_t i) { return static_cast<double>(std::abs(sound[i])) >= level_; };
    missing_.clear();
    const std::size_t from = std::max(rebuilt, kOrder);
    std::size_t to = window() - hop();
    while (to < window() - kOrder && (clips(to) || clips(to - 1))) ++to;  // not in the middle of a peak
    for (std::size_t i = from; i < to; ++i) {
        const bool run = clips(i) && ((clips(i - 1) && sound[i] * sound[i - 1] > 0) ||
                                      (i + 1 < window() && clips(i + 1) && sound[i] * sound[i + 1] > 0));
        if (run) missing_.push_back(i);
    }
    rebuilt = to - hop();
    if (missing_.empty() || missing_.size() > window() / 2) return;
    std::ranges::copy(sound, was_.begin());
    for (int round = 0; round < kRounds; ++round) {
        // The model is that of what has been rebuilt so far.
        if (!predictor_.fit(sound)) break;
        open_ = missing_;
        for (int again = 0; again < kRounds; ++again) {
            if (!interpolator_.fill(predictor_.coefficients(), open_, sound)) break;
            std::size_t kept = 0;
            for (const std::size_t i : open_) {
                const bool up = was_[i] > 0;
                const auto beyond = static_cast<double>(up ? sound[i] : -sound[i]);
                if (beyond < level_) {
                    sound[i] = was_[i];  // it was at least there
                } else {
                    open_[kept++] = i;
                }
            }
            if (kept == open_.size()) break;
            open_.resize(kept);
        }
    }
    for (const std::size_t i : missing_)
        sound[i] = std::clamp(sound[i], static_cast<float>(-most_), static_cast<float>(most_));
}

void ClippingRepair::work(ChannelBlock sound) {
    leaves_instead_of(-1);
    for (std::size_t c = 0; c < channels(); ++c) repair(sound[c], rebuilt_[c]);
}

}  // namespace rivlen
