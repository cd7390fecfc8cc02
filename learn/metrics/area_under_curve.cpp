// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/metrics/area_under_curve.h"

#include <algorithm>

namespace rivlen::learn {

double area_under_curve(std::vector<Judged> all) {
    std::ranges::sort(all, {}, &Judged::score);
    double ranks = 0, wrong = 0;
    for (std::size_t i = 0; i < all.size();) {
        std::size_t end = i;
        while (end < all.size() && all[end].score == all[i].score) ++end;
        const double rank = 0.5 * static_cast<double>(i + end + 1);
        for (; i < end; ++i) {
            ranks += all[i].wrong ? rank : 0;
            wrong += all[i].wrong ? 1 : 0;
        }
    }
    const double right = static_cast<double>(all.size()) - wrong;
    return wrong > 0 && right > 0 ? (ranks - wrong * (wrong + 1) / 2) / (wrong * right) : 0.0;
}

}  // namespace rivlen::learn
