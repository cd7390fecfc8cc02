// SPDX-License-Identifier: GPL-3.0-or-later
// The faults of a recording: what each is called, what mends it, and how it is found.
#pragma once

#include <array>
#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/diagnosis/evidence.h"
#include "core/effects/inserts.h"
#include "core/separation/settings.h"

namespace rivlen {

enum class Fault { Level, Clipping, Clicks, Plosives, Hum, Wind, Hiss, Telephone, Sibilance, Reverberation };
inline constexpr std::size_t kFaults = 10;
[[nodiscard]] const char* key_of(Fault fault);    // in files and on the command line
[[nodiscard]] const char* label_of(Fault fault);  // for people

// True when a kind of part is what a fault is mended with.
[[nodiscard]] bool repairs(Fault fault, EffectType kind);

struct Finding {
    Fault fault = Fault::Level;
    bool found = false;
    std::string sentence;            // with the figure that led to it
    std::optional<Insert> proposal;  // echo has none: the reverb stem is turned down instead
};

struct Reverberation {
    double rt60_s = 0;             // 0: not measurable
    std::optional<double> drr_db;  // direct to reverberant, from the stems
};

// Mean levels of the stems in dBFS.
using StemLevels = std::array<double, kStems>;

// What all the questions are put to.
struct Evidence {
    std::span<const float> mono;
    int sample_rate;  // Hz
    double minutes;
    SpeechLevel speech;
};

// One question each; a finding says its figure whether a fault was found or not.
[[nodiscard]] Finding look_for_level(const Evidence& look);
[[nodiscard]] Finding look_for_clipping(std::span<const std::vector<float>> channels);
[[nodiscard]] Finding look_for_clicks(const Evidence& look);
// Which seconds have wind in them.
[[nodiscard]] std::vector<bool> windy_seconds(const Evidence& look);
[[nodiscard]] Finding look_for_plosives(const Evidence& look, const std::vector<bool>& windy);
[[nodiscard]] Finding look_for_hum(const Evidence& look);
[[nodiscard]] Finding look_for_wind(const std::vector<bool>& windy);
[[nodiscard]] Finding look_for_hiss(const Evidence& look);
[[nodiscard]] Finding look_for_telephone(const Evidence& look, const SpectrumEvidence& spectrum);
[[nodiscard]] Finding look_for_sibilance(const SpectrumEvidence& spectrum);
[[nodiscard]] Finding look_for_echo(const Evidence& look, const std::optional<StemLevels>& stems,
                                    Reverberation& echo);

}  // namespace rivlen
