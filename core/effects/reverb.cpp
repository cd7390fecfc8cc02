// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/reverb.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/glide.h"

namespace rivlen {

namespace {
// Lengths in ms, without common divisors, those of a small room.
constexpr std::array<double, 8> kLengthsMs = {14.3, 17.9, 21.1, 24.7, 28.3, 31.9, 36.7, 41.3};
constexpr double kLongestDelayMs = 100;
constexpr float kDenormal = 1e-20F;
constexpr double kRoomGlideSeconds = 0.02;
}  // namespace

Reverb::Reverb(int sample_rate, std::size_t channels)
    : sample_rate_(sample_rate),
      glide_(static_cast<float>(glide_part(kRoomGlideSeconds, sample_rate))),
      share_(1.0F / std::sqrt(static_cast<float>((channels + 1) / 2))),
      before_(channels,
              std::vector<float>(static_cast<std::size_t>(kLongestDelayMs / 1000 * sample_rate) + 1)),
      before_step_(static_cast<float>(1.0 / (kRoomGlideSeconds * sample_rate))) {
    for (std::size_t k = 0; k < kLines; ++k)
        lines_[k].resize(static_cast<std::size_t>(kLengthsMs[k] / 1000 * sample_rate) | 1U);
}

void Reverb::reset() {
    for (auto& line : lines_) std::ranges::fill(line, 0.0F);
    for (auto& channel : before_) std::ranges::fill(channel, 0.0F);
    low_.fill(0);
    settle();
    begun_ = false;
}

void Reverb::settle() {
    gain_ = gain_target_;
    level_ = level_target_;
    damp_ = damp_target_;
    before_frames_ = before_target_ = wanted_before_;
    before_share_ = 1;
}

void Reverb::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Reverb> values(all);
    if (values == values_) return;
    values_ = values;
    for (std::size_t k = 0; k < kLines; ++k)
        gain_target_[k] =
            static_cast<float>(std::pow(10.0, -3.0 * static_cast<double>(lines_[k].size()) /
                                                  (values[parameter::kRoomDecayS] * sample_rate_)));
    damp_target_ =
        static_cast<float>(std::exp(-2 * std::numbers::pi * values[parameter::kRoomDampHz] / sample_rate_));
    const double level_db = values[parameter::kRoomLevelDb];
    level_target_ = level_db <= info(EffectType::Reverb).parameters[parameter::kRoomLevelDb.index].lowest
                        ? 0.0F
                        : static_cast<float>(amplitude_of_db(level_db));
    wanted_before_ =
        static_cast<std::size_t>(std::lround(values[parameter::kRoomDelayMs] / 1000 * sample_rate_));
    if (!begun_) settle();
}

void Reverb::process(ChannelBlock block) {
    const std::size_t size = before_[0].size();
    const std::size_t channels = before_.size();
    static constexpr std::array<std::size_t, 4> kSigns = {2, 4, 6, 0}, kFedSigns = {0, 2, 4, 6};
    begun_ = true;
    constexpr float kHadamard = 0.35355339F;  // 1 / sqrt(8)
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        std::array<float, kMostChannels> in;  // of which the first are written
        if (before_share_ == 1 && before_target_ != wanted_before_) {
            before_target_ = wanted_before_;
            before_share_ = 0;
        }
        const std::size_t from = (before_at_ + size - before_frames_) % size;
        const std::size_t to = (before_at_ + size - before_target_) % size;
        for (std::size_t c = 0; c < channels; ++c) {
            before_[c][before_at_] = block[c][i];
            in[c] = before_[c][from] + before_share_ * (before_[c][to] - before_[c][from]);
        }
        before_share_ = std::min(1.0F, before_share_ + before_step_);
        if (before_share_ == 1) before_frames_ = before_target_;
        level_ = glided(level_, level_target_, glide_);
        damp_ = glided(damp_, damp_target_, glide_);
        before_at_ = before_at_ + 1 == size ? 0 : before_at_ + 1;
        std::array<float, kLines> x{};
        for (std::size_t k = 0; k < kLines; ++k) {
            const float out = lines_[k][at_[k]];
            low_[k] = out + damp_ * (low_[k] - out);
            gain_[k] = glided(gain_[k], gain_target_[k], glide_);
            x[k] = low_[k] * gain_[k];
        }
        const std::array<float, kLines> heard = x;
        for (std::size_t half = 1; half < kLines; half *= 2) {  // fast Hadamard transform
            for (std::size_t a = 0; a < kLines; a += 2 * half) {
                for (std::size_t b = a; b < a + half; ++b) {
                    const float sum = x[b] + x[b + half];
                    x[b + half] = x[b] - x[b + half];
                    x[b] = sum;
                }
            }
        }
        for (std::size_t k = 0; k < kLines; ++k) {
            float fed = channels == 1 ? in[0] : 0.0F;
            for (std::size_t c = k % 2; c < channels && channels > 1; c += 2)
                fed += (std::popcount(k & kFedSigns[c / 2 % kFedSigns.size()]) & 1) != 0 ? -in[c] : in[c];
            fed = x[k] * kHadamard + fed * share_;
            lines_[k][at_[k]] = std::abs(fed) < kDenormal ? 0.0F : fed;
            at_[k] = at_[k] + 1 == lines_[k].size() ? 0 : at_[k] + 1;
        }
        if (level_ == 0.0F) continue;
        // Every channel feeds and hears four lines, with signs that no other of the first eight has.
        for (std::size_t c = 0; c < channels; ++c) {
            float wet = 0;
            for (std::size_t k = c % 2; k < kLines; k += 2)
                wet += (std::popcount(k & kSigns[c / 2 % kSigns.size()]) & 1) != 0 ? -heard[k] : heard[k];
            block[c][i] += level_ * wet;
        }
    }
}

}  // namespace rivlen
