// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/room_tone.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rivlen {

namespace {
// Longer grains keep slow movement, shorter ones come from more places.
constexpr double kLongestGrainSeconds = 0.6;
constexpr double kShareOfTone = 1.0 / 3;
}  // namespace

RoomTone::RoomTone(std::span<const LoopRange> stretches, int sample_rate) {
    const auto least = static_cast<std::int64_t>(kLeastToneSeconds * sample_rate);
    std::int64_t together = 0, longest = 0;
    for (const auto& s : stretches) {
        if (s.last - s.first < least) continue;
        stretches_.push_back(s);
        together += s.last - s.first;
        longest = std::max(longest, s.last - s.first);
    }
    if (stretches_.empty()) return;
    const auto wanted = static_cast<std::int64_t>(
        std::min(kLongestGrainSeconds * sample_rate, kShareOfTone * static_cast<double>(together)));
    grain_ = std::min(wanted, longest) / 2 * 2;
    std::erase_if(stretches_, [this](const LoopRange& s) { return s.last - s.first < grain_; });
    for (const auto& s : stretches_) places_ += s.last - s.first - grain_ + 1;
    for (std::int64_t i = 0; i < grain_; ++i)
        window_.push_back(static_cast<float>(
            std::sin(std::numbers::pi * (static_cast<double>(i) + 0.5) / static_cast<double>(grain_))));
}

std::int64_t RoomTone::grain_at(std::int64_t frame) const {
    const std::int64_t half = grain_ / 2;
    return frame >= 0 ? frame / half : -((-frame + half - 1) / half);
}

std::int64_t RoomTone::place_of(std::int64_t grain) const {
    constexpr double kGolden = 0.61803398874989485;
    const double turns = static_cast<double>(grain) * kGolden;
    auto place = static_cast<std::int64_t>((turns - std::floor(turns)) * static_cast<double>(places_));
    for (const auto& s : stretches_) {
        const std::int64_t here = s.last - s.first - grain_ + 1;
        if (place < here) return s.first + place;
        place -= here;
    }
    return stretches_.back().last - grain_;
}

}  // namespace rivlen
