// What an engineer sets for the stems of a recording. Plain data; saved in sessions.
#pragma once

#include <array>
#include <limits>
#include <optional>

#include "core/split/bands.h"

namespace rivlen {

inline constexpr double kFloorOffDb = -std::numeric_limits<double>::infinity();

struct StemSettings {
    double isolation_percent = 100;  // 0: the source untouched; 100: the stem alone
    double floor_db = -12;           // nothing is turned down by more than this, 0 to -60
    bool floor_on = false;
    double gain_db = 0;  // -60 to 12
    bool mute = false;
    bool solo = false;

    bool operator==(const StemSettings&) const = default;
};

struct ShapeSettings {
    std::array<StemSettings, kStems> stems;

    // Solo on any stem silences those without it.
    [[nodiscard]] bool audible(std::size_t stem) const;
    // True when every stem is neutral: isolation 100 %, no floor, no gain, nothing muted.
    [[nodiscard]] bool neutral() const;
    bool operator==(const ShapeSettings&) const = default;
};

// One table describes every setting to the window, the command line, the documents and the tests.
struct ParameterInfo {
    const char* key;  // in files and options
    const char* label;
    const char* unit;
    double lowest, highest, standard, step;
    const char* sentence;  // what it does
    const char* too_much;  // what too much of it sounds like
};
[[nodiscard]] const ParameterInfo& isolation_info();
[[nodiscard]] const ParameterInfo& floor_info();
[[nodiscard]] const ParameterInfo& gain_info();

// Gain of what does not belong to a stem at a given isolation: 40 dB over the range, evenly to the ear, bent
// so that it ends in silence at 100 %: g(p) = (10^(-2p) - 10^-2) / (1 - 10^-2) with p = percent / 100. Ours.
[[nodiscard]] double rest_gain(double isolation_percent);

// What a bin is multiplied with, given the masks of its band: max(sum over stems j of weight[j] * mask[j],
// least).
struct BandRecipe {
    std::array<float, kStems> weight{1, 1, 1, 1};
    float least = 0;
    [[nodiscard]] bool passes_all() const { return weight == std::array<float, kStems>{1, 1, 1, 1}; }
    bool operator==(const BandRecipe&) const = default;
};
// A stem as it leaves: isolation, floor and gain applied; mute and solo are the mix's affair.
[[nodiscard]] BandRecipe stem_recipe(const StemSettings& settings, std::size_t stem);
// What is kept of the source when all audible stems sound together. Where two stems claim the same part at
// less than full isolation, the larger claim counts, so that nothing is heard twice.
[[nodiscard]] BandRecipe kept_recipe(const ShapeSettings& settings);

}  // namespace rivlen
