// SPDX-License-Identifier: GPL-3.0-or-later
// Frequency as it is laid out on a screen.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>

namespace rivlen {

enum class FrequencyScale { Linear, Log, Ear };
inline constexpr std::size_t kFrequencyScales = 3;

inline constexpr double kLowestShownHz = 20, kHighestShownHz = 24000;

// A stretch of frequencies on a scale. Ear: number of auditory filters below a frequency, after Glasberg and
// Moore, "Derivation of auditory filter shapes from notched-noise data", Hearing Research 47, 1990, equation
// 4: 21.4 log10(4.37 f / kHz + 1).
struct FrequencyRange {
    FrequencyScale scale = FrequencyScale::Log;
    double low_hz = 50, high_hz = 20000;

    // 0 at the lowest, 1 at the highest frequency; beyond them further on.
    [[nodiscard]] double position(double hz) const {
        return (on_scale(hz) - on_scale(low_hz)) / (on_scale(high_hz) - on_scale(low_hz));
    }
    [[nodiscard]] double hz_at(double position) const {
        return off_scale(on_scale(low_hz) + position * (on_scale(high_hz) - on_scale(low_hz)));
    }
    // A factor below 1 comes closer, around a frequency that stays where it is; kept within what is shown at
    // most.
    [[nodiscard]] FrequencyRange zoomed(double factor, double around_hz) const {
        constexpr double kNarrowest = 0.02;  // of all that can be shown
        const double all = on_scale(kHighestShownHz) - on_scale(kLowestShownHz);
        const double span =
            std::clamp((on_scale(high_hz) - on_scale(low_hz)) * factor, kNarrowest * all, all);
        const double from = on_scale(around_hz) - std::clamp(position(around_hz), 0.0, 1.0) * span;
        return from_to(from, span);
    }
    // Higher by a part of its height.
    [[nodiscard]] FrequencyRange moved(double part) const {
        const double span = on_scale(high_hz) - on_scale(low_hz);
        return from_to(on_scale(low_hz) + part * span, span);
    }
    bool operator==(const FrequencyRange&) const = default;

  private:
    [[nodiscard]] double on_scale(double hz) const {
        const double f = std::max(hz, 1e-3);
        if (scale == FrequencyScale::Linear) return hz;
        if (scale == FrequencyScale::Log) return std::log2(f);
        return 21.4 * std::log10(4.37e-3 * f + 1);
    }
    [[nodiscard]] double off_scale(double value) const {
        if (scale == FrequencyScale::Linear) return value;
        if (scale == FrequencyScale::Log) return std::exp2(value);
        return (std::pow(10, value / 21.4) - 1) / 4.37e-3;
    }
    [[nodiscard]] FrequencyRange from_to(double from, double span) const {
        const double low = on_scale(kLowestShownHz), high = on_scale(kHighestShownHz);
        from = std::clamp(from, low, std::max(low, high - span));
        return {scale, off_scale(from), off_scale(std::min(high, from + span))};
    }
};

}  // namespace rivlen
