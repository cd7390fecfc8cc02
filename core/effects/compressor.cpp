// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/compressor.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/glide.h"

namespace rivlen {

namespace {
constexpr double kMarginDb = 0.01;   // so that rounding decides nothing
constexpr double kNothingDb = 1e-9;  // of reduction
constexpr double kLevelSeconds = 0.01, kMakeUpGlideSeconds = 0.02;
constexpr double kMostLookSeconds = 0.01, kMostRmsSeconds = 0.05;
std::size_t in_frames(double seconds, double rate) {
    return static_cast<std::size_t>(std::lround(seconds * rate));
}
}  // namespace

void Compressor::Rms::reset() {
    std::ranges::fill(squares_, 0.0F);
    sum_ = 0;
}

void Compressor::Rms::set_frames(std::size_t frames) {
    frames = std::min(frames, squares_.size());
    if (frames == frames_) return;
    frames_ = frames;
    add_up();
}

void Compressor::Rms::add_up() {
    sum_ = 0;
    for (std::size_t i = 1; i <= frames_; ++i)
        sum_ += static_cast<double>(squares_[(at_ + squares_.size() - i) % squares_.size()]);
}

float Compressor::Rms::step(float x) {
    const std::size_t size = squares_.size();
    const bool averaging = frames_ > 0;
    if (averaging)
        sum_ -= static_cast<double>(squares_[at_ >= frames_ ? at_ - frames_ : at_ + size - frames_]);
    squares_[at_] = x * x;
    if (!averaging) {
        at_ = at_ + 1 == size ? 0 : at_ + 1;
        return std::abs(x);
    }
    sum_ += static_cast<double>(squares_[at_]);
    at_ = at_ + 1 == size ? 0 : at_ + 1;
    if (at_ == 0) add_up();  // adding and taking away would drift
    return static_cast<float>(std::sqrt(2 * std::max(0.0, sum_) / static_cast<double>(frames_)));
}

Compressor::Compressor(int sample_rate, std::size_t channels)
    : sample_rate_(sample_rate),
      look_frames_(in_frames(kMostLookSeconds, sample_rate)),
      sides_(channels, Side{{},
                            DelayLine(look_frames_),
                            Rms(in_frames(kMostRmsSeconds, sample_rate)),
                            RunningMaximum(in_frames(kLevelSeconds, sample_rate)),
                            {}}),
      glide_(static_cast<float>(glide_part(kMakeUpGlideSeconds, sample_rate))) {
    for (auto& side : sides_) side.level.reset(0.0F);
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
    for (auto& side : sides_) {
        side.filter.reset();
        side.sound.reset();
        side.rms.reset();
        side.level.reset(0.0F);
        side.reduction.reset();
    }
    lowest_db_ = 0;
    make_up_ = make_up_target_;
    link_ = link_target_;
    fresh_ = true;
}

bool Compressor::give_key(bool give) {
    give_key_ = give;
    return true;
}

void Compressor::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Compressor> values(all);
    if (values == values_) return;
    values_ = values;
    const auto frames = [&](double ms) { return in_frames(ms / 1000, sample_rate_); };
    for (auto& side : sides_) {
        side.reduction.set(values[parameter::kAttackMs], values[parameter::kReleaseMs], sample_rate_);
        side.filter.set(
            Biquad::high_pass(sample_rate_, values[parameter::kSideChainHz], std::numbers::sqrt2 / 2));
        side.rms.set_frames(frames(values[parameter::kRmsMs]));
        side.asked_for = 0;
    }
    filtered_ = values[parameter::kSideChainHz] >
                info(EffectType::Compressor).parameters[parameter::kSideChainHz.index].lowest;
    key_late_ = look_frames_ - std::min(look_frames_, frames(values[parameter::kLookAheadMs]));
    quiet_ = static_cast<float>(
        amplitude_of_db(values[parameter::kThresholdDb] - values[parameter::kKneeDb] / 2 - kMarginDb));
    make_up_target_ = static_cast<float>(amplitude_of_db(values[parameter::kMakeUpDb]));
    link_target_ = static_cast<float>(values[parameter::kLinkPercent] / 100);
    if (!fresh_) return;
    make_up_ = make_up_target_;
    link_ = link_target_;
}

// Levels in dB cost most of the time: they are asked for only where something is done.
double Compressor::wanted_db(Side& side, float level) const {
    if (level <= quiet_) return 0;
    if (level == side.asked_for) return side.answer_db;  // it stands still for most of the time
    const auto in_db = static_cast<double>(quick_db_of_amplitude(level));
    side.asked_for = level;
    return side.answer_db = in_db - static_db(values_, in_db);
}

float Compressor::key_level(Side& side, float in, float& key) {
    side.sound.push(in);
    key = side.sound.ago(key_late_);
    if (filtered_) key = side.filter.step(key);
    return side.rms.step(key);
}

float Compressor::gain(Side& side, double reduction_db) {
    const double reduction = side.reduction.step(reduction_db);
    lowest_db_ = std::min(lowest_db_, -reduction);
    return reduction > kNothingDb ? quick_amplitude_of_db(static_cast<float>(-reduction)) * make_up_
                                  : make_up_;
}

void Compressor::process(ChannelBlock block) {
    const std::size_t channels = sides_.size();
    lowest_db_ = 0;
    fresh_ = false;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        std::array<float, kMostChannels> key, level, gains;  // of which the first are written
        float loudest = 0;
        for (std::size_t c = 0; c < channels; ++c) {
            level[c] = key_level(sides_[c], block[c][i], key[c]);
            loudest = std::max(loudest, level[c]);
        }
        make_up_ = glided(make_up_, make_up_target_, glide_);
        link_ = glided(link_, link_target_, glide_);
        const bool one = link_ == 1;
        if (one_ && !one) {  // they part here
            for (std::size_t c = 1; c < channels; ++c) {
                sides_[c].level = sides_[0].level;
                sides_[c].reduction = sides_[0].reduction;
            }
        }
        one_ = one;
        if (one) {
            const float all = gain(sides_[0], wanted_db(sides_[0], sides_[0].level.step(loudest)));
            std::fill_n(gains.begin(), channels, all);
        } else {
            for (std::size_t c = 0; c < channels; ++c) level[c] = sides_[c].level.step(level[c]);
            loudest = *std::max_element(level.begin(), level.begin() + static_cast<std::ptrdiff_t>(channels));
            for (std::size_t c = 0; c < channels; ++c) {
                // Between in dB is a power of the ratio.
                const float linked = level[c] > 0 ? loudest * std::pow(level[c] / loudest, 1 - link_) : 0.0F;
                gains[c] = gain(sides_[c], wanted_db(sides_[c], level[c] < loudest ? linked : loudest));
            }
        }
        for (std::size_t c = 0; c < channels; ++c)
            block[c][i] = give_key_ ? key[c] : sides_[c].sound.ago(look_frames_) * gains[c];
    }
}

}  // namespace rivlen
