#include "core/shape/settings.h"

#include <algorithm>
#include <cmath>

namespace rivlen {

namespace {

float linear(double db) {
    return static_cast<float>(std::pow(10.0, db / 20.0));
}

constexpr ParameterInfo kIsolation = {"isolation",
                                      "Isolation",
                                      "%",
                                      0,
                                      100,
                                      100,
                                      1,
                                      "How far everything else comes down while this stem stays.",
                                      "Too much takes consonants with it and leaves the place dead."};
constexpr ParameterInfo kFloor = {"floor",
                                  "Floor",
                                  "dB",
                                  -60,
                                  0,
                                  -12,
                                  1,
                                  "The most that anything may be turned down.",
                                  "Too high a floor lets the rest be heard again."};
constexpr ParameterInfo kGain = {"gain",
                                 "Gain",
                                 "dB",
                                 -60,
                                 12,
                                 0,
                                 0.5,
                                 "Level of this stem in what is kept.",
                                 "Too much brings up the residue of the other stems with it."};

}  // namespace

const ParameterInfo& isolation_info() {
    return kIsolation;
}
const ParameterInfo& floor_info() {
    return kFloor;
}
const ParameterInfo& gain_info() {
    return kGain;
}

bool ShapeSettings::audible(std::size_t stem) const {
    const bool any_solo = std::ranges::any_of(stems, [](const StemSettings& s) { return s.solo; });
    return !stems[stem].mute && (!any_solo || stems[stem].solo);
}

bool ShapeSettings::neutral() const {
    for (std::size_t s = 0; s < kStems; ++s) {
        const auto& stem = stems[s];
        if (!audible(s) || stem.isolation_percent != 100 || stem.floor_on || stem.gain_db != 0) return false;
    }
    return true;
}

double rest_gain(double isolation_percent) {
    const double p = std::clamp(isolation_percent, 0.0, 100.0) / 100.0;
    if (p <= 0.0) return 1.0;  // exactly, so that the source passes bit for bit
    if (p >= 1.0) return 0.0;
    return (std::pow(10.0, -2.0 * p) - 0.01) / 0.99;
}

BandRecipe stem_recipe(const StemSettings& settings, std::size_t stem) {
    BandRecipe recipe;
    const float gain = settings.gain_db == 0 ? 1.0F : linear(settings.gain_db);
    const auto rest = static_cast<float>(rest_gain(settings.isolation_percent)) * gain;
    recipe.weight.fill(rest);
    recipe.weight[stem] = gain;
    recipe.least = settings.floor_on ? linear(settings.floor_db) * gain : 0.0F;
    return recipe;
}

BandRecipe kept_recipe(const ShapeSettings& settings) {
    BandRecipe recipe;
    recipe.weight.fill(0.0F);
    for (std::size_t s = 0; s < kStems; ++s) {
        if (!settings.audible(s)) continue;
        const BandRecipe one = stem_recipe(settings.stems[s], s);
        for (std::size_t j = 0; j < kStems; ++j) recipe.weight[j] = std::max(recipe.weight[j], one.weight[j]);
        recipe.least = std::max(recipe.least, one.least);
    }
    return recipe;
}

}  // namespace rivlen
