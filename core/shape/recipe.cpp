#include "core/shape/recipe.h"

#include <algorithm>

#include "core/base/levels.h"
#include "core/base/vector_code.h"

namespace rivlen {

namespace {

// Share of the guard in a band: none below 1.5 kHz, all from 2.5 kHz on.
const std::array<float, kBands>& guard_share() {
    static const auto share = [] {
        std::array<float, kBands> s{};
        for (int b = 0; b < kBands; ++b) {
            s[static_cast<std::size_t>(b)] =
                static_cast<float>(std::clamp((band_centre_hz(b) - 1500.0) / 1000.0, 0.0, 1.0));
        }
        return s;
    }();
    return share;
}

}  // namespace

bool Recipe::passes_all() const {
    if (least > 1.0F || guard > 1.0F) return false;
    return std::ranges::all_of(weight, [](const auto& bands) {
        return std::ranges::all_of(bands, [](float w) { return w == 1.0F; });
    });
}

Recipe stem_recipe(const StemSettings& settings, std::size_t stem) {
    Recipe recipe;
    const double gain_db = settings.value(Setting::Gain);
    const float gain = gain_db == 0 ? 1.0F : static_cast<float>(amplitude_of_db(gain_db));
    const double isolation = settings.value(Setting::Isolation);
    std::array<float, kStems> share{};
    if (stem == static_cast<std::size_t>(Stem::Dialogue)) {
        const auto kept = [&](Setting s) {
            // Evenly to the ear, as isolation is, in the other direction.
            return settings.acts(s) ? static_cast<float>(rest_gain(100.0 - settings.value(s))) : 0.0F;
        };
        share = {0.0F, kept(Setting::ReverbKept), kept(Setting::MusicKept), kept(Setting::AmbienceKept)};
        if (settings.acts(Setting::Guard))
            recipe.guard = static_cast<float>(settings.value(Setting::Guard) / 100.0) * gain;
    }
    for (std::size_t b = 0; b < kBands; ++b) {
        const double here = isolation * weighting_factor(settings, band_centre_hz(static_cast<int>(b)));
        const auto rest = static_cast<float>(rest_gain(here));
        for (std::size_t j = 0; j < kStems; ++j)
            recipe.weight[j][b] = gain * (j == stem ? 1.0F : std::max(rest, share[j]));
    }
    recipe.least = settings.acts(Setting::Floor)
                       ? static_cast<float>(amplitude_of_db(settings.value(Setting::Floor))) * gain
                       : 0.0F;
    if (settings.acts(Setting::Steadiness))
        recipe.steadiness = static_cast<float>(settings.value(Setting::Steadiness) / 100.0);
    recipe.both_channels = settings.both_channels ? 1.0F : 0.0F;
    return recipe;
}

Recipe kept_recipe(const ShapeSettings& settings) {
    Recipe recipe;
    for (std::size_t s = 0; s < kStems; ++s) {
        if (!settings.audible(s)) continue;
        const Recipe one = stem_recipe(settings.stems[s], s);
        for (std::size_t j = 0; j < kStems; ++j) {
            for (std::size_t b = 0; b < kBands; ++b)
                recipe.weight[j][b] = std::max(recipe.weight[j][b], one.weight[j][b]);
        }
        recipe.least = std::max(recipe.least, one.least);
        recipe.guard = std::max(recipe.guard, one.guard);
        recipe.steadiness = std::max(recipe.steadiness, one.steadiness);
        recipe.both_channels = std::max(recipe.both_channels, one.both_channels);
    }
    return recipe;
}

Recipe blend(const Recipe& a, const Recipe& b, float part) {
    if (part <= 0.0F) return a;
    if (part >= 1.0F) return b;
    const auto mix = [part](float x, float y) { return x + part * (y - x); };
    Recipe out;
    for (std::size_t j = 0; j < kStems; ++j) {
        for (std::size_t k = 0; k < kBands; ++k) out.weight[j][k] = mix(a.weight[j][k], b.weight[j][k]);
    }
    out.least = mix(a.least, b.least);
    out.guard = mix(a.guard, b.guard);
    out.steadiness = mix(a.steadiness, b.steadiness);
    out.both_channels = mix(a.both_channels, b.both_channels);
    return out;
}

namespace {

RIVLEN_VECTOR_CODE void mix_masks(const float* __restrict weights, const float* __restrict masks,
                                  const float least, float* __restrict gains) {
    for (int b = 0; b < kBands; ++b) {
        float gain = 0.0F;
        for (int j = 0; j < kStems; ++j) gain += weights[j * kBands + b] * masks[j * kBands + b];
        gains[b] = gain > least ? gain : least;
    }
}

}  // namespace

void band_gains(const Recipe& recipe, std::span<const float> masks, float open, std::span<float> gains) {
    mix_masks(recipe.weight.front().data(), masks.data(), recipe.least, gains.data());
    const float held = open * recipe.guard;
    if (held <= 0.0F) return;
    const auto& share = guard_share();
    for (std::size_t b = 0; b < kBands; ++b) gains[b] = std::max(gains[b], held * share[b]);
}

}  // namespace rivlen
