// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/effect_presets.h"

#include <algorithm>
#include <initializer_list>
#include <utility>

namespace rivlen {

using namespace parameter;

namespace {

// Values by names of the kind; `kind` differs from the names' only for the low-pass.
template <EffectType Kind>
PartPreset preset(const char* name, std::initializer_list<std::pair<ParameterOf<Kind>, double>> values,
                  EffectType kind = Kind) {
    PartPreset out{kind, name, {}};
    for (const auto& [parameter, value] : values) out.values.push_back({parameter.index, value});
    return out;
}

}  // namespace

std::vector<PartPreset> presets_of(EffectType kind) {
    static const std::vector<PartPreset> kPresets = {
        preset<EffectType::Clipping>("A little hot", {{kClipLevelDb, -0.1}, {kClipMaxReductionDb, 4}}),
        preset<EffectType::Clipping>("Badly overdriven", {{kClipLevelDb, -0.3}, {kClipMaxReductionDb, 12}}),
        preset<EffectType::Clicks>("Mouth noise", {{kClickOverDb, 15}, {kClickLongestMs, 2}}),
        preset<EffectType::Clicks>("Bad cable", {{kClickOverDb, 12}, {kClickLongestMs, 5}}),
        preset<EffectType::Plosives>("Only the worst",
                                     {{kPlosiveThresholdDb, 0}, {kPlosiveMaxReductionDb, -18}}),
        preset<EffectType::Plosives>("Close microphone", {{kPlosiveThresholdDb, -9}, {kPlosiveHz, 120}}),
        preset<EffectType::Hum>("Mains, 50 Hz", {{kHumHz, 50}}),
        preset<EffectType::Hum>("Mains, 60 Hz", {{kHumHz, 60}}),
        preset<EffectType::Hum>("Dimmers, 100 Hz", {{kHumHz, 100}, {kHumHarmonics, 30}}),
        preset<EffectType::Wind>("Light wind", {{kWindReachHz, 250}, {kWindMaxReductionDb, -12}}),
        preset<EffectType::Wind>("Storm",
                                 {{kWindReachHz, 600}, {kWindFallDb, 9}, {kWindMaxReductionDb, -36}}),
        preset<EffectType::Hiss>("Quiet room", {{kHissLevelDb, -90}, {kHissMaxReductionDb, -8}}),
        preset<EffectType::Hiss>("Old tape",
                                 {{kHissLevelDb, -70}, {kHissTiltDb, 1.5}, {kHissMaxReductionDb, -16}}),
        preset<EffectType::HighPass>("Voice, low", {{kCutHz, 60}}),
        preset<EffectType::HighPass>("Voice, high", {{kCutHz, 120}}),
        preset<EffectType::HighPass>("Street", {{kCutHz, 150}, {kCutSlope, 36}}),
        preset<EffectType::HighPass>("Dull hiss", {{kCutHz, 12000}}, EffectType::LowPass),
        preset<EffectType::HighPass>("Old film", {{kCutHz, 8000}, {kCutSlope, 24}}, EffectType::LowPass),
        preset<EffectType::Gate>("Gently between words", {{kGateThresholdDb, -45}, {kGateRangeDb, -6}}),
        preset<EffectType::Gate>("Quiet pauses",
                                 {{kGateThresholdDb, -42}, {kGateRangeDb, -24}, {kGateRatio, 4}}),
        preset<EffectType::Equaliser>("Less box", {{eq_hz(1), 350}, {eq_gain_db(1), -4}, {eq_q(1), 1.2}}),
        preset<EffectType::Equaliser>("Closer", {{eq_gain_db(0), 2}, {eq_gain_db(3), 2.5}}),
        preset<EffectType::Equaliser>("More air", {{eq_hz(4), 9000}, {eq_gain_db(4), 3}}),
        preset<EffectType::DeEsser>("Low s sounds", {{kEssLowHz, 4500}, {kEssHighHz, 8000}}),
        preset<EffectType::DeEsser>("Strong", {{kEssThresholdDb, -9}, {kEssMaxReductionDb, 6}}),
        preset<EffectType::Compressor>("Gentle",
                                       {{kThresholdDb, -20}, {kRatio, 2}, {kKneeDb, 12}, {kReleaseMs, 120}}),
        preset<EffectType::Compressor>(
            "Over pictures",
            {{kThresholdDb, -28}, {kRatio, 4}, {kReleaseMs, 80}, {kMakeUpDb, 8}, {kSideChainHz, 100}}),
        preset<EffectType::Gain>("Half as loud", {{kGainDb, -10}}),
        preset<EffectType::Reverb>("Small room", {{kRoomDecayS, 0.3}, {kRoomLevelDb, -22}}),
        preset<EffectType::Reverb>("Hall", {{kRoomDecayS, 1.6}, {kRoomDelayMs, 25}, {kRoomLevelDb, -26}}),
        preset<EffectType::Limiter>("Broadcast, -1 dBTP", {{kLimiterCeilingDb, -1}}),
        preset<EffectType::Limiter>("Streaming, -2 dBTP", {{kLimiterCeilingDb, -2}})};
    std::vector<PartPreset> out;
    std::ranges::copy_if(kPresets, std::back_inserter(out),
                         [kind](const PartPreset& p) { return p.kind == kind; });
    return out;
}

void apply(const PartPreset& preset, Insert& part) {
    part.values = make_part(part.kind, 0).values;
    part.noise_shape_db.clear();
    for (const auto& [parameter, value] : preset.values) part.values[parameter] = value;
    normalise(part);
}

}  // namespace rivlen
