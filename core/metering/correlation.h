// SPDX-License-Identifier: GPL-3.0-or-later
// How alike both sides are: 1 the same, 0 nothing in common, -1 opposite.
#pragma once

#include <cmath>
#include <span>

#include "core/metering/level.h"

namespace rivlen {

// Of the last moment, fading: the products of the sides over the root of their powers' product.
class CorrelationMeter {
  public:
    static constexpr double kSeconds = 0.3;
    explicit CorrelationMeter(int sample_rate) : keep_(std::exp(-1.0 / (kSeconds * sample_rate))) {}
    void add(std::span<const float> left, std::span<const float> right) {
        for (std::size_t i = 0; i < left.size(); ++i) {
            const auto l = static_cast<double>(left[i]), r = static_cast<double>(right[i]);
            both_ = keep_ * both_ + l * r;
            left_ = keep_ * left_ + l * l;
            right_ = keep_ * right_ + r * r;
        }
    }
    // Missing where a side is silent (under about -100 dBFS).
    [[nodiscard]] Level value() const {
        constexpr double kSilence = 1e-6;  // sums over the moment
        if (left_ < kSilence || right_ < kSilence) return {};
        return both_ / std::sqrt(left_ * right_);
    }

  private:
    double keep_, both_ = 0, left_ = 0, right_ = 0;
};

}  // namespace rivlen
