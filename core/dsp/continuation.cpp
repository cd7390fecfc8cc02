// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/continuation.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/vector_code.h"
#include "core/dsp/decibels.h"
#include "core/dsp/quantile.h"

namespace rivlen {

namespace {

constexpr std::size_t kErrorBlock = 256;  // samples whose level is looked at together

RIVLEN_VECTOR_CODE RIVLEN_ANY_ORDER double dot(const double* __restrict x, const double* __restrict y,
                                               std::size_t count) {
    double sum = 0.0;
    for (std::size_t n = 0; n < count; ++n) sum += x[n] * y[n];
    return sum;
}

struct PairSums {
    double products = 0, powers = 0;
};

RIVLEN_VECTOR_CODE RIVLEN_ANY_ORDER void add_pairs(const double* __restrict x, const double* __restrict y,
                                                   std::size_t count, PairSums& into) {
    double products = 0.0, powers = 0.0;
    for (std::size_t n = 0; n < count; ++n) {
        products += x[n] * y[n];
        powers += x[n] * x[n] + y[n] * y[n];
    }
    into.products += products;
    into.powers += powers;
}

RIVLEN_VECTOR_CODE void reflect(double* __restrict forward, double* __restrict backward, double reflection,
                                std::size_t count) {
    for (std::size_t n = 0; n < count; ++n) {
        const double f = forward[n];
        forward[n] = f + reflection * backward[n];
        backward[n] += reflection * f;
    }
}

// A round of Burg's recursion and the sums that the next one begins with, piece by piece, so that both find a
// piece in the nearest cache.
PairSums reflect_and_sum(double* forward, double* backward, double reflection, std::size_t count) {
    constexpr std::size_t kPiece = 1024;
    PairSums sums;
    for (std::size_t at = 0; at < count; at += kPiece) {
        const std::size_t end = std::min(count, at + kPiece);
        reflect(forward + at, backward + at, reflection, end - at);
        const std::size_t first = std::max<std::size_t>(at, 1);
        if (end > first) add_pairs(forward + first, backward + first - 1, end - first, sums);
    }
    return sums;
}

// The oldest first, so that what they are multiplied with lies in the order of time.
std::vector<double> oldest_first(std::span<const double> a) {
    return {a.rbegin(), a.rend()};
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

struct Model {
    std::vector<double> a;
    std::vector<float> error;  // e[n] from sample `order` on: the forward error that the recursion ends with
};

Model model_of(std::span<const float> signal, std::size_t order) {
    std::vector<double> forward(signal.begin(), signal.end());
    // The backward error of sample n lies at n - m + 1 in round m, so that it stands beside the forward error
    // of sample n + 1, which it is multiplied with.
    std::vector<double> backward = forward;
    std::vector<double> a(order + 1), next(order + 1);
    a[0] = 1.0;
    PairSums sums;
    add_pairs(forward.data() + 1, backward.data(), signal.size() - 1, sums);
    for (std::size_t m = 1; m <= order; ++m) {
        if (sums.powers <= 1e-20 * static_cast<double>(signal.size())) break;  // all of it is predicted
        const double reflection = -2.0 * sums.products / sums.powers;
        next = a;
        for (std::size_t i = 1; i <= m; ++i) next[i] = a[i] + reflection * a[m - i];
        a.swap(next);
        sums = reflect_and_sum(forward.data() + m, backward.data(), reflection, signal.size() - m);
    }
    return {std::move(a), {forward.begin() + static_cast<std::ptrdiff_t>(order), forward.end()}};
}

}  // namespace

std::vector<double> burg_coefficients(std::span<const float> signal, std::size_t order) {
    return model_of(signal, order).a;
}

std::vector<float> continued(std::span<const float> signal, std::size_t count, std::size_t order) {
    std::vector<float> out(count);
    if (signal.size() <= 2 * order || energy_of(signal) <= 0.0) return out;
    const auto [a, error] = model_of(signal, order);
    const float scale = to_middle_level(error);
    // The last samples, then what is made.
    std::vector<double> made(signal.end() - static_cast<std::ptrdiff_t>(order), signal.end());
    const auto taps = oldest_first(std::span(a).subspan(1));
    made.reserve(order + count);
    const std::size_t turn = std::max<std::size_t>(1, 2 * error.size() - 2);  // there and back again
    for (std::size_t n = 0; n < count; ++n) {
        const std::size_t along = n % turn;
        const std::size_t back = along < error.size() ? along : turn - along;
        const double x = static_cast<double>(scale * error[error.size() - 1 - back]) -
                         dot(taps.data(), made.data() + n, order);
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
