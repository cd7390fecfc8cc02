// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/continuation.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/quantile.h"

namespace rivlen {

namespace {

constexpr std::size_t kErrorBlock = 256;  // samples whose level is looked at together

// e[n] from sample `order` on.
std::vector<float> prediction_error(std::span<const float> signal, std::span<const double> a) {
    const std::size_t order = a.size() - 1;
    std::vector<float> error(signal.size() - order);
    for (std::size_t n = order; n < signal.size(); ++n) {
        double sum = 0.0;
        for (std::size_t i = 0; i <= order; ++i) sum += a[i] * static_cast<double>(signal[n - i]);
        error[n - order] = static_cast<float>(sum);
    }
    return error;
}

// What brings an error to its middle level.
float to_middle_level(std::span<const float> error) {
    std::vector<float> levels;
    for (std::size_t at = 0; at + kErrorBlock <= error.size(); at += kErrorBlock)
        levels.push_back(
            std::sqrt(static_cast<float>(energy_of(error.subspan(at, kErrorBlock)) / kErrorBlock)));
    const double mean = energy_of(error) / static_cast<double>(std::max<std::size_t>(1, error.size()));
    if (levels.empty() || mean <= 0.0) return 1.0F;
    return std::min(1.0F, quantile(levels, 0.5) / static_cast<float>(std::sqrt(mean)));
}

std::vector<float> reversed(std::span<const float> x) {
    return {x.rbegin(), x.rend()};
}

}  // namespace

std::vector<double> burg_coefficients(std::span<const float> signal, std::size_t order) {
    const std::size_t count = signal.size();
    std::vector<double> forward(signal.begin(), signal.end());
    std::vector<double> backward = forward;
    std::vector<double> a(order + 1), next(order + 1);
    a[0] = 1.0;
    for (std::size_t m = 1; m <= order; ++m) {
        double products = 0.0;
        double powers = 0.0;
        for (std::size_t n = m; n < count; ++n) {
            products += forward[n] * backward[n - 1];
            powers += forward[n] * forward[n] + backward[n - 1] * backward[n - 1];
        }
        if (powers <= 1e-20 * static_cast<double>(count)) break;  // all of it is predicted
        const double reflection = -2.0 * products / powers;
        next = a;
        for (std::size_t i = 1; i <= m; ++i) next[i] = a[i] + reflection * a[m - i];
        a.swap(next);
        for (std::size_t n = count - 1; n >= m; --n) {
            const double f = forward[n];
            forward[n] = f + reflection * backward[n - 1];
            backward[n] = backward[n - 1] + reflection * f;
        }
    }
    return a;
}

std::vector<float> continued(std::span<const float> signal, std::size_t count, std::size_t order) {
    std::vector<float> out(count);
    if (signal.size() <= 2 * order || energy_of(signal) <= 0.0) return out;
    const auto a = burg_coefficients(signal, order);
    const auto error = prediction_error(signal, a);
    const float scale = to_middle_level(error);
    // The last samples, the newest first, then what is made.
    std::vector<double> made(signal.end() - static_cast<std::ptrdiff_t>(order), signal.end());
    made.reserve(order + count);
    const std::size_t turn = std::max<std::size_t>(1, 2 * error.size() - 2);  // there and back again
    for (std::size_t n = 0; n < count; ++n) {
        const std::size_t along = n % turn;
        const std::size_t back = along < error.size() ? along : turn - along;
        double x = static_cast<double>(scale * error[error.size() - 1 - back]);
        for (std::size_t i = 1; i <= order; ++i) x -= a[i] * made[made.size() - i];
        made.push_back(x);
        out[n] = static_cast<float>(x);
    }
    return out;
}

std::vector<float> bridged(std::span<const float> before, std::span<const float> behind, std::size_t count,
                           std::size_t order) {
    const auto order_for = [&](std::span<const float> side) { return std::min(order, side.size() / 3); };
    if (before.empty() && behind.empty()) return std::vector<float>(count);
    const auto from_before = continued(before, count, order_for(before));
    const auto from_behind = reversed(continued(reversed(behind), count, order_for(behind)));
    if (behind.empty()) return from_before;
    if (before.empty()) return from_behind;
    double common = 0.0;
    for (std::size_t i = 0; i < count; ++i)
        common += static_cast<double>(from_before[i]) * static_cast<double>(from_behind[i]);
    const double powers = std::sqrt(energy_of(from_before) * energy_of(from_behind));
    const double alike = powers > 0.0 ? std::clamp(common / powers, 0.0, 1.0) : 0.0;
    std::vector<float> out(count);
    for (std::size_t i = 0; i < count; ++i) {
        const double along = (static_cast<double>(i) + 0.5) / static_cast<double>(count);
        const double g = std::pow(std::sin(0.5 * std::numbers::pi * along), 2);
        const double f = 1.0 - g;
        const double norm = std::sqrt(f * f + g * g + 2.0 * alike * f * g);
        out[i] = static_cast<float>(
            (f * static_cast<double>(from_before[i]) + g * static_cast<double>(from_behind[i])) / norm);
    }
    return out;
}

}  // namespace rivlen
