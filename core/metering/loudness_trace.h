// SPDX-License-Identifier: GPL-3.0-or-later
// What loudness was where, as far as it has been played: a line over the session's time.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <optional>
#include <vector>

namespace rivlen {

class LoudnessTrace {
  public:
    static constexpr std::int64_t kStepFrames = 4800;  // a tenth of a second at 48 kHz
    // At a frame of the session; what was known there before is replaced. Frames below 0 are left out.
    void add(std::int64_t frame, double lufs) {
        if (frame < 0) return;
        const auto at = static_cast<std::size_t>(frame / kStepFrames);
        if (at >= values_.size()) values_.resize(at + 1, std::numeric_limits<float>::quiet_NaN());
        values_[at] = static_cast<float>(lufs);
    }
    void clear() { values_.clear(); }
    // The loudest of [first, last); nothing where none was played.
    [[nodiscard]] std::optional<double> loudest(std::int64_t first, std::int64_t last) const {
        const auto from = static_cast<std::size_t>(std::max<std::int64_t>(0, first) / kStepFrames);
        const auto past = (std::max<std::int64_t>(0, last) + kStepFrames - 1) / kStepFrames;
        const auto to = std::min(values_.size(), static_cast<std::size_t>(past));
        std::optional<double> out;
        for (std::size_t k = from; k < to; ++k) {
            const auto value = static_cast<double>(values_[k]);
            if (!std::isnan(value)) out = std::max(out.value_or(value), value);
        }
        return out;
    }

  private:
    std::vector<float> values_;  // a step; no number where none was played
};

}  // namespace rivlen
