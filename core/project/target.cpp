// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/target.h"

#include <algorithm>

namespace rivlen {

const std::vector<LoudnessTarget>& standard_targets() {
    // Values from memory of the documents named.
    static const std::vector<LoudnessTarget> kTargets = {
        {"r128", "Broadcast, Europe", "EBU R 128 (2020)", -23, 0.5, -1, LoudnessGate::Programme, {}},
        {"r128-short", "Short form, Europe", "EBU R 128 s1 (2016)", -23, 0.5, -1, LoudnessGate::Programme,
         -18.0},
        {"a85", "Broadcast, North America", "ATSC A/85:2013", -24, 2, -2, LoudnessGate::Dialogue, {}},
        {"streaming-speech",
         "Streaming, speech",
         "AES TD1008 (2021)",
         -18,
         1,
         -1,
         LoudnessGate::Programme,
         {}},
        {"streaming-music", "Streaming, music", "AES TD1008 (2021)", -16, 1, -1, LoudnessGate::Programme, {}},
        {"music", "Music", "common practice, no source", -14, 0.5, -1, LoudnessGate::Programme, {}},
        {"speech",
         "Speech, spoken word",
         "common practice, no source",
         -16,
         0.5,
         -1,
         LoudnessGate::Programme,
         {}}};
    return kTargets;
}

const LoudnessTarget* find_target(const std::vector<LoudnessTarget>& own, const std::string& key) {
    for (const auto* list : {&own, &standard_targets()}) {
        const auto found = std::ranges::find(*list, key, &LoudnessTarget::key);
        if (found != list->end()) return &*found;
    }
    return nullptr;
}

}  // namespace rivlen
