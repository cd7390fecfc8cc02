// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/plosives.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kLowestPlosiveHz = 60;  // of the parameter: the longest filter
constexpr double kHoldSeconds = 0.08;
constexpr double kShortMs = 12, kLongMs = 1500;
constexpr double kDetectHz = 45, kVoiceLowHz = 250, kVoiceHighHz = 4000;
constexpr double kOverSteady =
    4;  // of the lows against their own mean, in power: a steady rumble is no thump
constexpr double kSoftest =
    0.1;  // of the voice's recent power: a closed b or m has nothing but its lowest tone
constexpr double kLeastPlosivePower = 1e-6;  // -60 dBFS
// Butterworth, order 4.
constexpr std::array<double, 2> kQ = {0.54119610, 1.30656296};

std::size_t length_for(double rate, double hz) {
    return static_cast<std::size_t>(std::lround(rate / hz)) | 1U;
}
}  // namespace

RunningLowPass::RunningLowPass(std::size_t longest) : first_(3 * longest) {
    for (auto& mean : means_) mean.ring.resize(longest);
}

void RunningLowPass::set_length(std::size_t length) {
    length_ = length;
    reset();
}

void RunningLowPass::reset() {
    for (auto& mean : means_) {
        std::ranges::fill(mean.ring, 0.0F);
        mean.sum = 0;
    }
    std::ranges::fill(first_, 0.0F);
    at_ = first_at_ = 0;
}

float RunningLowPass::step(float x) {
    const double scale = 1 / static_cast<double>(length_);
    float y = x;
    float first = 0;
    for (std::size_t m = 0; m < kMeans; ++m) {
        Mean& mean = means_[m];
        mean.sum += static_cast<double>(y) - static_cast<double>(mean.ring[at_]);
        mean.ring[at_] = y;
        y = static_cast<float>(mean.sum * scale);
        if (m == kMeans / 2 - 1) first = y;
    }
    at_ = at_ + 1 == length_ ? 0 : at_ + 1;
    // Twice the first three, waiting for their delay, less all six.
    const std::size_t wait = 3 * (length_ - 1) / 2;
    if (wait == 0) return 2 * first - y;
    const float waited = first_[first_at_];
    first_[first_at_] = first;
    first_at_ = first_at_ + 1 == wait ? 0 : first_at_ + 1;
    return 2 * waited - y;
}

PlosiveRemover::PlosiveRemover(int sample_rate, std::size_t channels)
    : rate_(sample_rate),
      ahead_(3 * (length_for(sample_rate, kLowestPlosiveHz) - 1)),
      low_pass_(channels, RunningLowPass(length_for(sample_rate, kLowestPlosiveHz))),
      keep_short_(std::exp(-1000 / (kShortMs * sample_rate))),
      keep_long_(std::exp(-1000 / (kLongMs * sample_rate))),
      line_(channels, std::vector<float>(ahead_ + 1)) {
    for (std::size_t s = 0; s < kSections; ++s) {
        low_detector_[s].set(Biquad::low_pass(rate_, kDetectHz, kQ[s]));
        voice_low_[s].set(Biquad::high_pass(rate_, kVoiceLowHz, kQ[s]));
        voice_high_[s].set(Biquad::low_pass(rate_, kVoiceHighHz, kQ[s]));
    }
}

void PlosiveRemover::begin_length() {
    length_ = wanted_length_;
    for (auto& channel : low_pass_) channel.set_length(length_);
    settling_ = static_cast<std::int64_t>(6 * length_);
}

void PlosiveRemover::reset() {
    begin_length();
    settling_ = 0;  // what is behind is silence
    for (auto* filters : {&low_detector_, &voice_low_, &voice_high_}) {
        for (auto& section : *filters) section.reset();
    }
    for (auto& channel : line_) std::ranges::fill(channel, 0.0F);
    low_ = voice_ = loud_ = steady_ = fade_ = 0;
    hold_ = 0;
    inside_ = false;
    at_ = found_ = 0;
    reduction_db_ = 0;
}

void PlosiveRemover::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Plosives> values(all);
    if (values == values_) return;
    const bool first = values_[parameter::kPlosiveHz] == 0;
    values_ = values;
    wanted_length_ = length_for(rate_, values[parameter::kPlosiveHz]);
    if (!first) return;
    begin_length();
    settling_ = 0;
}

void PlosiveRemover::process(ChannelBlock block) {
    const double near = power_of_db(values_[parameter::kPlosiveThresholdDb]);
    const double most = 1 - amplitude_of_db(values_[parameter::kPlosiveMaxReductionDb]);
    const double step = 1000 / (10.0 * rate_);  // over 10 ms
    const std::size_t size = ahead_ + 1;
    const float share_of_each = 1.0F / static_cast<float>(block.size());
    double before = 0;
    double after = 0;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        float mid = block[0][i];
        for (std::size_t c = 1; c < block.size(); ++c) mid += block[c][i];
        mid *= share_of_each;
        float low = mid;
        for (auto& section : low_detector_) low = section.step(low);
        float voice = mid;
        for (auto& section : voice_low_) voice = section.step(voice);
        for (auto& section : voice_high_) voice = section.step(voice);
        const auto low_power = static_cast<double>(low * low);
        low_ = keep_short_ * low_ + (1 - keep_short_) * low_power;
        voice_ = keep_short_ * voice_ + (1 - keep_short_) * static_cast<double>(voice * voice);
        loud_ = std::max(voice_, keep_long_ * loud_);
        const bool thump = low_ > kLeastPlosivePower && low_ > near * std::max(voice_, kSoftest * loud_) &&
                           low_ > kOverSteady * steady_;
        steady_ = keep_long_ * steady_ + (1 - keep_long_) * low_power;
        if (thump) hold_ = static_cast<std::int64_t>(ahead_) + std::llround(kHoldSeconds * rate_);
        if (thump && !inside_) ++found_;
        inside_ = hold_ > 0;
        if (hold_ > 0) --hold_;
        // Another length begins where nothing is subtracted.
        if (length_ != wanted_length_ && fade_ == 0) begin_length();
        if (settling_ > 0) --settling_;
        const double wanted = inside_ && settling_ == 0 && length_ == wanted_length_ ? 1.0 : 0.0;
        fade_ = wanted > fade_ ? std::min(wanted, fade_ + step) : std::max(wanted, fade_ - step / 4);
        const double share = most * 0.5 * (1 - std::cos(std::numbers::pi * fade_));
        // The low-pass is later by less than the look-ahead when it is short.
        const std::size_t later = low_pass_[0].delay();
        for (std::size_t c = 0; c < line_.size(); ++c) {
            line_[c][at_] = block[c][i];
            const float x = line_[c][(at_ + 1) % size];
            const float lows = low_pass_[c].step(line_[c][(at_ + size - (ahead_ - later)) % size]);
            const float out = share > 0 ? x - static_cast<float>(share) * lows : x;
            before += static_cast<double>(x * x);
            after += static_cast<double>(out * out);
            block[c][i] = out;
        }
        at_ = at_ + 1 == size ? 0 : at_ + 1;
    }
    reduction_db_ = before > 1e-10 && fade_ > 0 ? std::min(0.0, db_of_power(after / before)) : 0.0;
}

}  // namespace rivlen
