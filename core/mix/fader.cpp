// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/fader.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/glide.h"

namespace rivlen {

namespace {
constexpr double kMuteSeconds = 0.005;  // over which a strip falls silent
constexpr double kGlideSeconds = 0.01;  // over which a moved fader is followed
constexpr StripLane kGainLine{LaneTarget::Gain, 0, 0, {}};
constexpr StripLane kPanLine{LaneTarget::Pan, 0, 0, {}};
constexpr StripLane kWidthLine{LaneTarget::Width, 0, 0, {}};
constexpr StripLane kMuteLine{LaneTarget::Mute, 0, 0, {}};
}  // namespace

FaderStage::FaderStage(int sample_rate)
    : open_step_(static_cast<float>(1.0 / (kMuteSeconds * sample_rate))),
      glide_(static_cast<float>(glide_part(kGlideSeconds, sample_rate))) {}

FaderStage::Matrix FaderStage::gains(const Strip& strip, std::int64_t frame) {
    const double gain_db = value_at(strip, kGainLine, frame);
    const double gain =
        (gain_db <= kLowestGainDb ? 0.0 : amplitude_of_db(gain_db)) * (strip.polarity_inverted ? -1.0 : 1.0);
    const auto scaled = [gain](double x) { return static_cast<float>(gain * x); };
    const double pan = value_at(strip, kPanLine, frame);
    const auto angle = [](double place) {
        return (std::clamp(place, -100.0, 100.0) + 100) / 200 * std::numbers::pi / 2;
    };
    if (strip.pan_law == PanLaw::Balance) {
        if (pan == 0) return {scaled(1), 0, 0, scaled(1)};  // exactly
        return {scaled(std::numbers::sqrt2 * std::cos(angle(pan))), 0, 0,
                scaled(std::numbers::sqrt2 * std::sin(angle(pan)))};
    }
    const double width = value_at(strip, kWidthLine, frame);
    if (pan == 0 && width == 100) return {scaled(1), 0, 0, scaled(1)};
    const double left = angle(pan - width), right = angle(pan + width);
    return {scaled(std::cos(left)), scaled(std::cos(right)), scaled(std::sin(left)), scaled(std::sin(right))};
}

void FaderStage::seek(const Strip& strip, bool audible, std::int64_t frame) {
    now_ = gains(strip, frame);
    open_ = audible && value_at(strip, kMuteLine, frame) < 0.5 ? 1.0F : 0.0F;
}

void FaderStage::turn(ChannelBlock block, std::size_t at) const {
    const float left = block[0][at], right = block[1][at];
    block[0][at] = (left * now_[0] + right * now_[1]) * open_;
    block[1][at] = (left * now_[2] + right * now_[3]) * open_;
}

void FaderStage::apply(const Strip& strip, bool audible, std::int64_t frame, ChannelBlock block) {
    const StripLane* mute_line = find_lane(strip, kMuteLine);
    const Matrix target = gains(strip, frame);
    const bool moving = find_lane(strip, kGainLine) != nullptr || find_lane(strip, kPanLine) != nullptr ||
                        (strip.pan_law == PanLaw::Sides && find_lane(strip, kWidthLine) != nullptr);
    const bool open = audible && value_at(strip, kMuteLine, frame) < 0.5;
    const bool stands = !moving && mute_line == nullptr && now_ == target && open_ == (open ? 1.0F : 0.0F);
    if (stands && (!open || (target[1] == 0.0F && target[2] == 0.0F))) {
        for (std::size_t c = 0; c < kStereoChannels; ++c) {
            const float gain = open ? target[3 * c] : 0.0F;
            if (gain == 1.0F) continue;
            for (float& x : block[c]) x *= gain;
        }
        return;
    }
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        const std::int64_t at = frame + static_cast<std::int64_t>(i);
        if (moving) {
            now_ = gains(strip, at);
        } else if (!stands) {
            for (std::size_t c = 0; c < now_.size(); ++c) now_[c] = glided(now_[c], target[c], glide_);
        }
        const bool wanted = mute_line == nullptr ? open : audible && lane_value(mute_line->points, at) < 0.5;
        open_ = wanted ? std::min(1.0F, open_ + open_step_) : std::max(0.0F, open_ - open_step_);
        turn(block, i);
    }
}

SendStage::SendStage(int sample_rate)
    : open_step_(static_cast<float>(1.0 / (kMuteSeconds * sample_rate))),
      glide_(static_cast<float>(glide_part(kGlideSeconds, sample_rate))) {}

namespace {

float send_gain(const Strip& strip, const Send& send, std::int64_t frame) {
    const double level_db = value_at(strip, {LaneTarget::Send, send.bus, 0, {}}, frame);
    return level_db <= kLowestGainDb ? 0.0F : static_cast<float>(amplitude_of_db(level_db));
}

// Behind the fader the mute is already in it.
bool opens(const Strip& strip, const Send& send, bool audible, std::int64_t frame) {
    return send.on && (!send.before_fader || (audible && value_at(strip, kMuteLine, frame) < 0.5));
}

}  // namespace

void SendStage::seek(const Strip& strip, const Send& send, bool audible, std::int64_t frame) {
    now_ = send_gain(strip, send, frame);
    open_ = opens(strip, send, audible, frame) ? 1.0F : 0.0F;
}

void SendStage::apply(const Strip& strip, const Send& send, bool audible, std::int64_t frame,
                      ChannelBlock block) {
    const bool moving = find_lane(strip, {LaneTarget::Send, send.bus, 0, {}}) != nullptr;
    const float target = send_gain(strip, send, frame);
    const bool muting = send.before_fader && find_lane(strip, kMuteLine) != nullptr;
    const bool open = opens(strip, send, audible, frame);
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        const std::int64_t at = frame + static_cast<std::int64_t>(i);
        now_ = moving ? send_gain(strip, send, at) : glided(now_, target, glide_);
        const bool wanted = muting ? opens(strip, send, audible, at) : open;
        open_ = wanted ? std::min(1.0F, open_ + open_step_) : std::max(0.0F, open_ - open_step_);
        for (auto& channel : block) channel[i] *= now_ * open_;
    }
}

}  // namespace rivlen
