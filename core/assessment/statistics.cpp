// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/statistics.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

namespace rivlen {

namespace {

std::vector<double> ranks(std::span<const double> x) {
    std::vector<std::size_t> order(x.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::sort(order, {}, [&](std::size_t i) { return x[i]; });
    std::vector<double> rank(x.size());
    for (std::size_t i = 0; i < order.size();) {
        std::size_t j = i;
        while (j < order.size() && x[order[j]] == x[order[i]]) ++j;
        for (std::size_t k = i; k < j; ++k) rank[order[k]] = 0.5 * static_cast<double>(i + j - 1);
        i = j;
    }
    return rank;
}

}  // namespace

double spearman(std::span<const double> a, std::span<const double> b) {
    const auto x = ranks(a);
    const auto y = ranks(b);
    const double mean = 0.5 * (static_cast<double>(x.size()) - 1.0);
    double xy = 0.0;
    double xx = 0.0;
    double yy = 0.0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        xy += (x[i] - mean) * (y[i] - mean);
        xx += (x[i] - mean) * (x[i] - mean);
        yy += (y[i] - mean) * (y[i] - mean);
    }
    return xx > 0.0 && yy > 0.0 ? xy / std::sqrt(xx * yy) : 0.0;
}

double coin_toss_p_value(int hits, int trials) {
    if (trials <= 0) return 1.0;
    const auto probability = [&](int k) {
        return std::exp(std::lgamma(trials + 1.0) - std::lgamma(k + 1.0) - std::lgamma(trials - k + 1.0) -
                        trials * std::log(2.0));
    };
    const int far = std::max(hits, trials - hits);
    double tail = 0.0;
    for (int k = far; k <= trials; ++k) tail += probability(k);
    return std::min(1.0, 2.0 * tail);
}

}  // namespace rivlen
