// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness targets as data, each with where it is published.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace rivlen {

enum class LoudnessGate { Programme, Dialogue };  // what is measured: everything, or where somebody speaks

struct LoudnessTarget {
    std::string key, name;
    std::string source{}, edition{},
        date{};  // document, its edition ("version 5.0"), when it came out ("2023-11")
    double integrated_lufs = -23;
    double tolerance_lu = 0.5;
    double true_peak_dbtp = -1;
    LoudnessGate gate = LoudnessGate::Programme;
    std::optional<double> short_term_lufs{};  // highest allowed over 3 s
    bool operator==(const LoudnessTarget&) const = default;
};

// Where less of a programme is speech, all of it is measured although the target asks for speech: dialogue
// is then no anchor (from memory of the delivery rules that ask for dialogue).
inline constexpr double kLeastSpeechShare = 0.15;

// "EBU R 128, version 5.0, 2023-11"; what is not known is left out.
[[nodiscard]] std::string source_of(const LoudnessTarget& target);
[[nodiscard]] const std::vector<LoudnessTarget>& standard_targets();
// By key; null where there is none.
[[nodiscard]] const LoudnessTarget* find_target(const std::vector<LoudnessTarget>& own,
                                                const std::string& key);

}  // namespace rivlen
