// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/effect_presets.h"

#include <algorithm>

namespace rivlen {

using namespace parameter;

std::vector<PartPreset> presets_of(EffectType kind) {
    static const std::vector<PartPreset> kPresets = {
        {EffectType::Clipping, "A little hot", {{kClipLevelDb, -0.1}, {kClipMaxReductionDb, 4}}},
        {EffectType::Clipping, "Badly overdriven", {{kClipLevelDb, -0.3}, {kClipMaxReductionDb, 12}}},
        {EffectType::Clicks, "Mouth noise", {{kClickOverDb, 15}, {kClickLongestMs, 2}}},
        {EffectType::Clicks, "Bad cable", {{kClickOverDb, 12}, {kClickLongestMs, 5}}},
        {EffectType::Plosives, "Only the worst", {{kPlosiveThresholdDb, 0}, {kPlosiveMaxReductionDb, -18}}},
        {EffectType::Plosives, "Close microphone", {{kPlosiveThresholdDb, -9}, {kPlosiveHz, 120}}},
        {EffectType::Hum, "Mains, 50 Hz", {{kHumHz, 50}}},
        {EffectType::Hum, "Mains, 60 Hz", {{kHumHz, 60}}},
        {EffectType::Hum, "Dimmers, 100 Hz", {{kHumHz, 100}, {kHumHarmonics, 30}}},
        {EffectType::Wind, "Light wind", {{kWindReachHz, 250}, {kWindMaxReductionDb, -12}}},
        {EffectType::Wind, "Storm", {{kWindReachHz, 600}, {kWindFallDb, 9}, {kWindMaxReductionDb, -36}}},
        {EffectType::Hiss, "Quiet room", {{kHissLevelDb, -90}, {kHissMaxReductionDb, -8}}},
        {EffectType::Hiss, "Old tape", {{kHissLevelDb, -70}, {kHissTiltDb, 1.5}, {kHissMaxReductionDb, -16}}},
        {EffectType::HighPass, "Voice, low", {{kCutHz, 60}}},
        {EffectType::HighPass, "Voice, high", {{kCutHz, 120}}},
        {EffectType::HighPass, "Street", {{kCutHz, 150}, {kCutSlope, 36}}},
        {EffectType::LowPass, "Dull hiss", {{kCutHz, 12000}}},
        {EffectType::LowPass, "Old film", {{kCutHz, 8000}, {kCutSlope, 24}}},
        {EffectType::Gate, "Gently between words", {{kGateThresholdDb, -45}, {kGateRangeDb, -6}}},
        {EffectType::Gate, "Quiet pauses", {{kGateThresholdDb, -42}, {kGateRangeDb, -24}, {kGateRatio, 4}}},
        {EffectType::Equaliser, "Less box", {{kBells, 350}, {kBells + 1, -4}, {kBells + 2, 1.2}}},
        {EffectType::Equaliser, "Closer", {{kLowShelf + 1, 2}, {kBells + 2 * kBellSize + 1, 2.5}}},
        {EffectType::Equaliser, "More air", {{kHighShelf, 9000}, {kHighShelf + 1, 3}}},
        {EffectType::DeEsser, "Low s sounds", {{kEssLowHz, 4500}, {kEssHighHz, 8000}}},
        {EffectType::DeEsser, "Strong", {{kEssThresholdDb, -9}, {kEssMaxReductionDb, 6}}},
        {EffectType::Compressor,
         "Gentle",
         {{kThresholdDb, -20}, {kRatio, 2}, {kKneeDb, 12}, {kReleaseMs, 120}}},
        {EffectType::Compressor,
         "Over pictures",
         {{kThresholdDb, -28}, {kRatio, 4}, {kReleaseMs, 80}, {kMakeUpDb, 8}, {kSideChainHz, 100}}},
        {EffectType::Gain, "Half as loud", {{kGainDb, -10}}},
        {EffectType::Reverb, "Small room", {{kRoomDecayS, 0.3}, {kRoomLevelDb, -22}}},
        {EffectType::Reverb, "Hall", {{kRoomDecayS, 1.6}, {kRoomDelayMs, 25}, {kRoomLevelDb, -26}}},
        {EffectType::Limiter, "Broadcast, -1 dBTP", {{kLimiterCeilingDb, -1}}},
        {EffectType::Limiter, "Streaming, -2 dBTP", {{kLimiterCeilingDb, -2}}}};
    std::vector<PartPreset> out;
    std::ranges::copy_if(kPresets, std::back_inserter(out),
                         [kind](const PartPreset& p) { return p.kind == kind; });
    return out;
}

void apply(const PartPreset& preset, Insert& part) {
    part.values = make_part(part.kind, 0).values;
    for (const auto& [parameter, value] : preset.values) part.values[parameter] = value;
    normalise(part);
}

}  // namespace rivlen
