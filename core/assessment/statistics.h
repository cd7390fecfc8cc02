// SPDX-License-Identifier: GPL-3.0-or-later
// Small statistics.
#pragma once

#include <span>

namespace rivlen {

// Spearman's rank correlation, ties by their mean rank; 0 when either side does not vary.
[[nodiscard]] double spearman(std::span<const double> a, std::span<const double> b);

// Two-sided binomial test: how probable an outcome at least as uneven as `hits` of `trials` is, if every
// trial is a coin toss. 1 without trials.
[[nodiscard]] double coin_toss_p_value(int hits, int trials);

}  // namespace rivlen
