#include "core/repair/plosives.h"

#include <algorithm>
#include <cmath>

#include "core/base/levels.h"

namespace rivlen {

namespace {
constexpr double kAheadSeconds = 0.02, kHoldSeconds = 0.05;
constexpr double kShortMs = 12, kLongMs = 1500;
constexpr double kDetectHz = 60, kVoiceLowHz = 250, kVoiceHighHz = 4000;
constexpr double kOverSteady = 4;    // of the lows against their own mean, in power: a steady rumble is no thump
constexpr double kLeastPower = 1e-6;  // -60 dBFS
// Butterworth, order 4.
constexpr std::array<double, 2> kQ = {0.54119610, 1.30656296};
}  // namespace

PlosiveRemover::PlosiveRemover(int sample_rate)
    : rate_(sample_rate),
      ahead_(static_cast<std::size_t>(std::lround(kAheadSeconds * sample_rate))),
      keep_short_(std::exp(-1000 / (kShortMs * sample_rate))),
      keep_long_(std::exp(-1000 / (kLongMs * sample_rate))) {
    for (std::size_t s = 0; s < kSections; ++s) {
        low_detector_[s].set(Biquad::low_pass(rate_, kDetectHz, kQ[s]));
        voice_low_[s].set(Biquad::high_pass(rate_, kVoiceLowHz, kQ[s]));
        voice_high_[s].set(Biquad::low_pass(rate_, kVoiceHighHz, kQ[s]));
    }
    for (auto& channel : line_) channel.assign(ahead_, 0.0F);
}

void PlosiveRemover::reset() {
    for (auto& channel : high_pass_) {
        for (auto& section : channel) section.reset();
    }
    for (auto* filters : {&low_detector_, &voice_low_, &voice_high_}) {
        for (auto& section : *filters) section.reset();
    }
    for (auto& channel : line_) std::ranges::fill(channel, 0.0F);
    low_ = voice_ = steady_ = fade_ = 0;
    hold_ = 0;
    inside_ = false;
    at_ = found_ = 0;
    reduction_db_ = 0;
}

void PlosiveRemover::set(std::span<const double> values) {
    if (std::ranges::equal(values, values_)) return;
    std::ranges::copy(values, values_.begin());
    for (auto& channel : high_pass_) {
        for (std::size_t s = 0; s < kSections; ++s)
            channel[s].set(Biquad::high_pass(rate_, values[parameter::kPlosiveHz], kQ[s]));
    }
}

void PlosiveRemover::process(StereoBlock block) {
    const double near = power_of_db(values_[parameter::kPlosiveThresholdDb]);
    const double most = 1 - amplitude_of_db(values_[parameter::kPlosiveMostDb]);
    const double step = 1000 / (10.0 * rate_);  // over 10 ms
    double before = 0;
    double after = 0;
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        const float mid = 0.5F * (block[0][i] + block[1][i]);
        float low = mid;
        for (auto& section : low_detector_) low = section.step(low);
        float voice = mid;
        for (auto& section : voice_low_) voice = section.step(voice);
        for (auto& section : voice_high_) voice = section.step(voice);
        const auto low_power = static_cast<double>(low * low);
        low_ = keep_short_ * low_ + (1 - keep_short_) * low_power;
        voice_ = keep_short_ * voice_ + (1 - keep_short_) * static_cast<double>(voice * voice);
        const bool thump = low_ > kLeastPower && low_ > near * voice_ && low_ > kOverSteady * steady_;
        steady_ = keep_long_ * steady_ + (1 - keep_long_) * low_power;
        if (thump) hold_ = std::llround((kAheadSeconds + kHoldSeconds) * rate_);
        if (thump && !inside_) ++found_;
        inside_ = hold_ > 0;
        const double wanted = hold_ > 0 ? 1.0 : 0.0;
        if (hold_ > 0) --hold_;
        fade_ = wanted > fade_ ? std::min(wanted, fade_ + step) : std::max(wanted, fade_ - step / 4);
        const double share = most * 0.5 * (1 - std::cos(3.14159265358979 * fade_));
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            const float x = line_[c][at_];
            line_[c][at_] = block[c][i];
            float y = x;
            for (auto& section : high_pass_[c]) y = section.step(y);
            const float out = share > 0 ? x + static_cast<float>(share) * (y - x) : x;
            before += static_cast<double>(x * x);
            after += static_cast<double>(out * out);
            block[c][i] = out;
        }
        at_ = at_ + 1 == ahead_ ? 0 : at_ + 1;
    }
    reduction_db_ = before > 1e-10 && fade_ > 0 ? std::min(0.0, db_of_power(after / before)) : 0.0;
}

}  // namespace rivlen
