// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/limiter.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/dsp/glide.h"

namespace rivlen {

namespace {

constexpr double kLookSeconds = 0.004, kDriveGlideSeconds = 0.02;
constexpr std::size_t kTaps = PeakInterpolator::kTaps;

}  // namespace

Limiter::Limiter(int sample_rate, std::size_t channels)
    : sample_rate_(sample_rate),
      look_(static_cast<std::size_t>(std::lround(kLookSeconds * sample_rate))),
      glide_(static_cast<float>(glide_part(kDriveGlideSeconds, sample_rate))),
      line_(channels, std::vector<float>(2 * (look_ + kTaps))),
      lowest_gain_(look_ + 2) {
    mean_.resize(look_);
    reset();
}

// The detector needs kTaps / 2 samples behind the one it looks at.
std::int64_t Limiter::latency() const {
    return static_cast<std::int64_t>(look_ + kTaps / 2);
}

void Limiter::reset() {
    for (auto& channel : line_) std::ranges::fill(channel, 0.0F);
    std::ranges::fill(mean_, 1.0F);
    sum_ = static_cast<double>(look_);
    at_ = mean_at_ = 0;
    lowest_gain_.reset(1.0F);
    soft_ = idle_ = 0;
    held_ = lowest_ = 1;
    drive_ = drive_target_;
    fresh_ = true;
}

void Limiter::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Limiter> values(all);
    drive_target_ = static_cast<float>(amplitude_of_db(values[parameter::kLimiterDriveDb]));
    if (fresh_) drive_ = drive_target_;
    ceiling_ = static_cast<float>(amplitude_of_db(values[parameter::kLimiterCeilingDb] - kMarginDb));
    const double release_frames = values[parameter::kLimiterReleaseMs] / 1000.0 * sample_rate_;
    back_ = static_cast<float>(1.0 - std::exp(-1.0 / std::max(1.0, release_frames)));
}

// Running minimum of what peaks need over the look-ahead, exponentially back, then the mean.
float Limiter::needed(float peak) {
    const float wanted = peak > ceiling_ ? ceiling_ / peak : 1.0F;
    // Nothing has been held down for so long that nothing is left to come back.
    idle_ = wanted == 1.0F && held_ == 1.0F ? idle_ + 1 : 0;
    if (idle_ > 2 * look_ + 2) {
        lowest_gain_.reset(1.0F);
        sum_ = static_cast<double>(look_);
        return 1.0F;
    }
    const float lowest = lowest_gain_.step(wanted);
    held_ = lowest < held_ ? lowest : held_ + back_ * (lowest - held_);
    if (held_ > 0.999999F && lowest == 1.0F) held_ = 1.0F;
    sum_ += static_cast<double>(held_) - static_cast<double>(mean_[mean_at_]);
    mean_[mean_at_] = held_;
    mean_at_ = mean_at_ + 1 == look_ ? 0 : mean_at_ + 1;
    if (mean_at_ == 0) {  // adding and taking away would drift
        sum_ = 0;
        for (const float g : mean_) sum_ += static_cast<double>(g);
    }
    return std::min(1.0F, static_cast<float>(sum_ / static_cast<double>(look_)));
}

void Limiter::process(ChannelBlock block) {
    const std::size_t size = line_[0].size() / 2;
    lowest_ = 1;
    fresh_ = false;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        float peak = 0;
        drive_ = glided(drive_, drive_target_, glide_);
        float loudest = 0;
        for (std::size_t c = 0; c < line_.size(); ++c) {
            line_[c][at_] = line_[c][at_ + size] = block[c][i] * drive_;
            loudest = std::max(loudest, std::abs(block[c][i]));
        }
        at_ = at_ + 1 == size ? 0 : at_ + 1;
        // Where no sample is near the ceiling there is nothing to look for.
        soft_ = loudest * drive_ * interpolator_.rise() < 0.99F * ceiling_ ? soft_ + 1 : 0;
        if (soft_ < kTaps) {
            // The latest kTaps samples end at at_ - 1.
            for (const auto& line : line_)
                peak = std::max(peak, interpolator_.peak_at(line.data() + at_ + size - kTaps));
        }
        const float gain = needed(peak);
        lowest_ = std::min(lowest_, gain);
        for (std::size_t c = 0; c < line_.size(); ++c)
            block[c][i] = line_[c][at_ + size - 1 - static_cast<std::size_t>(latency())] * gain;
    }
}

double Limiter::reduction_db() const {
    return db_of_amplitude(static_cast<double>(lowest_));
}

}  // namespace rivlen
