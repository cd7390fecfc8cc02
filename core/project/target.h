// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness targets as data, each with where it is published.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace rivlen {

enum class LoudnessGate { Programme, Dialogue };  // what is measured: everything, or where somebody speaks

struct LoudnessTarget {
    std::string key, name, source;
    double integrated_lufs = -23;
    double tolerance_lu = 0.5;
    double true_peak_dbtp = -1;
    LoudnessGate gate = LoudnessGate::Programme;
    std::optional<double> short_term_lufs;  // highest allowed over 3 s
    bool operator==(const LoudnessTarget&) const = default;
};

[[nodiscard]] const std::vector<LoudnessTarget>& standard_targets();
// By key; null where there is none.
[[nodiscard]] const LoudnessTarget* find_target(const std::vector<LoudnessTarget>& own,
                                                const std::string& key);

}  // namespace rivlen
