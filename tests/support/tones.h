// SPDX-License-Identifier: GPL-3.0-or-later
// Tones, and what is left of them and beside them: for tests and for what is measured in bench/.
#pragma once

#include <algorithm>
#include <cmath>
#include <numbers>
#include <span>
#include <vector>

namespace rivlen::test {

// A second at half of full scale.
[[nodiscard]] inline std::vector<float> tone_at(double hz, double rate) {
    std::vector<float> x(static_cast<std::size_t>(rate));
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] = static_cast<float>(0.5 * std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / rate));
    return x;
}

struct ToneParts {
    double cosine = 0, sine = 0;  // amplitudes
};
// Of the middle half, under a Hann window.
[[nodiscard]] inline ToneParts tone_parts(std::span<const float> y, double hz, double rate) {
    const std::size_t from = y.size() / 4, count = y.size() / 2;
    double re = 0, im = 0, weight = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double w =
            0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(count));
        const double turn = 2 * std::numbers::pi * hz * static_cast<double>(from + i) / rate;
        re += w * static_cast<double>(y[from + i]) * std::cos(turn);
        im += w * static_cast<double>(y[from + i]) * std::sin(turn);
        weight += w;
    }
    return {2 * re / weight, 2 * im / weight};
}
// Against tone_at()'s own level.
[[nodiscard]] inline double tone_db(std::span<const float> y, double hz, double rate) {
    const auto [a, b] = tone_parts(y, hz, rate);
    return 20 * std::log10(std::max(std::hypot(a, b), 1e-12) / 0.5);
}
// Of everything but that tone (0 Hz: of everything), against tone_at()'s level.
[[nodiscard]] inline double rest_db(std::span<const float> y, double hz, double rate) {
    const std::size_t from = y.size() / 4, count = y.size() / 2;
    const ToneParts tone = hz > 0 ? tone_parts(y, hz, rate) : ToneParts();
    double all = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double turn = 2 * std::numbers::pi * hz * static_cast<double>(from + i) / rate;
        const double left =
            static_cast<double>(y[from + i]) - tone.cosine * std::cos(turn) - tone.sine * std::sin(turn);
        all += left * left;
    }
    return 10 * std::log10(std::max(2 * all / static_cast<double>(count) / 0.25, 1e-24));
}

}  // namespace rivlen::test
