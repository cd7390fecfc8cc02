// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/consonants.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace rivlen {

namespace {

float db(float ratio) {
    return 10.0F * std::log10(std::max(ratio, 1e-12F));
}

}  // namespace

Consonants::Consonants(const Source& source, ChannelGroup channels, FrameMasks& masks, int fft_size)
    : source_(&source),
      channels_(channels),
      stft_(fft_size),
      masks_(&masks),
      reads_(band_reads(source.sample_rate(), fft_size)) {
    const auto bin = [&](double hz) {
        return std::min(static_cast<std::size_t>(hz * fft_size / source.sample_rate()),
                        static_cast<std::size_t>(stft_.bins() - 1));
    };
    low_first_ = bin(100);
    low_last_ = bin(1000);
    high_first_ = bin(2000);
    high_last_ = bin(10000);
    time_.resize(static_cast<std::size_t>(fft_size));
    spectrum_.resize(static_cast<std::size_t>(stft_.bins()));
    power_.resize(spectrum_.size());
    frame_of_.fill(std::numeric_limits<std::int64_t>::min());
    raw_of_.fill(std::numeric_limits<std::int64_t>::min());
}

const Consonants::Measured& Consonants::measured(std::int64_t frame) {
    const auto slot = static_cast<std::size_t>(((frame % kKept) + kKept) % kKept);
    if (frame_of_[slot] == frame) return measured_[slot];
    frame_of_[slot] = frame;
    // Powers are added up, not samples: what is in opposite polarity on two channels would vanish.
    std::ranges::fill(power_, 0.0F);
    for (int c = channels_.first; c < channels_.last; ++c) {
        source_->read(c, (frame - 2) * stft_.hop(), time_);
        stft_.forward(time_, spectrum_);
        for (std::size_t k = 0; k < power_.size(); ++k) power_[k] += std::norm(spectrum_[k]);
    }
    const auto masks = masks_->plain(frame);
    const auto range = [&](std::size_t first, std::size_t last, float& power, float& share) {
        power = 1e-9F;
        float own = 0.0F;
        for (std::size_t k = first; k <= last; ++k) {
            const float p = power_[k];
            power += p;
            own += p * masks[static_cast<std::size_t>(reads_[k].low)];
        }
        share = own / power;
    };
    Measured& m = measured_[slot];
    range(low_first_, low_last_, m.low_power, m.low_share);
    range(high_first_, high_last_, m.high_power, m.high_share);
    return m;
}

float Consonants::raw(std::int64_t frame) {
    const auto slot = static_cast<std::size_t>(((frame % kKept) + kKept) % kKept);
    if (raw_of_[slot] != frame) {
        raw_[slot] = find_raw(frame);
        raw_of_[slot] = frame;
    }
    return raw_[slot];
}

float Consonants::find_raw(std::int64_t frame) {
    float voiced = 0.0F;
    for (std::int64_t k = -kContext; k <= kContext; ++k)
        voiced = std::max(voiced, measured(frame + k).low_share);
    const Measured now = measured(frame);
    float before = 0.0F;
    for (std::int64_t k = 2; k <= 5; ++k) before += 0.25F * measured(frame - k).high_power;
    const float rise = std::clamp((db(now.high_power / before) - 3.0F) / 6.0F, 0.0F, 1.0F);
    const float unvoiced = std::clamp((db(now.high_power / now.low_power) + 6.0F) / 9.0F, 0.0F, 1.0F);
    return std::clamp(1.5F * voiced - 0.25F, 0.0F, 1.0F) * std::max(rise, unvoiced) *
           std::clamp(2.5F * now.high_share, 0.0F, 1.0F);
}

float Consonants::at(std::int64_t frame) {
    float open = raw(frame + 1);  // begins to open one frame early
    float fade = 1.0F;
    for (std::int64_t k = 0; k < kHold; ++k, fade *= 0.75F) open = std::max(open, fade * raw(frame - k));
    return open;
}

}  // namespace rivlen
