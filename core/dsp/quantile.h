// SPDX-License-Identifier: GPL-3.0-or-later
// The value below which a part of all values lies.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

namespace rivlen {

// The value nearest to that part (0 to 1) of the way from the least to the largest. Reorders the values; 0 of
// none.
template <typename T>
[[nodiscard]] T quantile(std::vector<T>& values, double part) {
    if (values.empty()) return T{};
    const auto at = values.begin() +
                    static_cast<std::ptrdiff_t>(std::lround(part * static_cast<double>(values.size() - 1)));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

}  // namespace rivlen
