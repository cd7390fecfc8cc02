// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/target.h"

#include <algorithm>

namespace rivlen {

std::string source_of(const LoudnessTarget& target) {
    std::string out = target.source;
    for (const std::string* part : {&target.edition, &target.date}) {
        if (!part->empty()) out += (out.empty() ? "" : ", ") + *part;
    }
    return out;
}

const std::vector<LoudnessTarget>& standard_targets() {
    using enum LoudnessGate;
    constexpr const char* kPractice = "common practice, no source";
    // Values, editions and dates from memory of the documents named.
    static const std::vector<LoudnessTarget> kTargets = {
        {.key = "r128",
         .name = "Broadcast, Europe",
         .source = "EBU R 128",
         .edition = "version 5.0",
         .date = "2023-11"},
        {.key = "r128-short",
         .name = "Short form, Europe",
         .source = "EBU R 128 s1",
         .edition = "version 2.0",
         .date = "2016-01",
         .short_term_lufs = -18},
        {.key = "a85",
         .name = "Broadcast, North America",
         .source = "ATSC A/85:2013",
         .edition = "with corrigendum 1",
         .date = "2021-02",
         .integrated_lufs = -24,
         .tolerance_lu = 2,
         .true_peak_dbtp = -2,
         .gate = Dialogue},
        {.key = "dialogue-27",
         .name = "Films and series, by dialogue",
         .source = kPractice,
         .integrated_lufs = -27,
         .tolerance_lu = 2,
         .true_peak_dbtp = -2,
         .gate = Dialogue},
        {.key = "streaming-speech",
         .name = "Streaming, speech",
         .source = "AES TD1008",
         .edition = "version 1.1",
         .date = "2021-09",
         .integrated_lufs = -18,
         .tolerance_lu = 1},
        {.key = "streaming-music",
         .name = "Streaming, music",
         .source = "AES TD1008",
         .edition = "version 1.1",
         .date = "2021-09",
         .integrated_lufs = -16,
         .tolerance_lu = 1},
        {.key = "music", .name = "Music", .source = kPractice, .integrated_lufs = -14},
        {.key = "speech", .name = "Speech, spoken word", .source = kPractice, .integrated_lufs = -16}};
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
