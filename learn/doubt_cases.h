// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstddef>
#include <numeric>
#include <optional>

namespace rivlen::learn {

// What studies of doubt call wrong in a step of 50 ms, by kind of sound: when a kind holds at least a tenth
// of the step's energy and the masks leave less than half of that in its place. all: energies; kept: of
// those what stays in its place. Empty for a step that is silent.
template <std::size_t Kinds>
[[nodiscard]] std::optional<std::array<bool, Kinds>> wrong_kinds(const std::array<double, Kinds>& all,
                                                                 const std::array<double, Kinds>& kept) {
    constexpr double kLeastShare = 0.1;
    constexpr double kSilentEnergy = 1e-3;  // in the scale of known_powers()
    const double total = std::accumulate(all.begin(), all.end(), 0.0);
    if (total < kSilentEnergy) return {};
    std::array<bool, Kinds> wrong;
    for (std::size_t k = 0; k < Kinds; ++k)
        wrong[k] = all[k] >= kLeastShare * total && kept[k] < 0.5 * all[k];
    return wrong;
}

}  // namespace rivlen::learn
