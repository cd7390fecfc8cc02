#include "core/chain/part_presets.h"

#include <algorithm>

namespace rivlen {

using namespace parameter;

std::vector<PartPreset> presets_of(PartKind kind) {
    static const std::vector<PartPreset> kPresets = {
        {PartKind::Clipping, "A little hot", {{kClipLevelDb, -0.1}, {kClipMostDb, 4}}},
        {PartKind::Clipping, "Badly overdriven", {{kClipLevelDb, -0.3}, {kClipMostDb, 12}}},
        {PartKind::Clicks, "Mouth noise", {{kClickOverDb, 15}, {kClickLongestMs, 2}}},
        {PartKind::Clicks, "Bad cable", {{kClickOverDb, 12}, {kClickLongestMs, 5}}},
        {PartKind::Plosives, "Only the worst", {{kPlosiveThresholdDb, 0}, {kPlosiveMostDb, -18}}},
        {PartKind::Plosives, "Close microphone", {{kPlosiveThresholdDb, -9}, {kPlosiveHz, 120}}},
        {PartKind::Hum, "Mains, 50 Hz", {{kHumHz, 50}}},
        {PartKind::Hum, "Mains, 60 Hz", {{kHumHz, 60}}},
        {PartKind::Hum, "Dimmers, 100 Hz", {{kHumHz, 100}, {kHumHarmonics, 30}}},
        {PartKind::Wind, "Light wind", {{kWindReachHz, 250}, {kWindMostDb, -12}}},
        {PartKind::Wind, "Storm", {{kWindReachHz, 600}, {kWindFallDb, 9}, {kWindMostDb, -36}}},
        {PartKind::Hiss, "Quiet room", {{kHissLevelDb, -90}, {kHissMostDb, -8}}},
        {PartKind::Hiss, "Old tape", {{kHissLevelDb, -70}, {kHissTiltDb, 1.5}, {kHissMostDb, -16}}},
        {PartKind::HighPass, "Voice, low", {{kCutHz, 60}}},
        {PartKind::HighPass, "Voice, high", {{kCutHz, 120}}},
        {PartKind::HighPass, "Street", {{kCutHz, 150}, {kCutSlope, 36}}},
        {PartKind::LowPass, "Dull hiss", {{kCutHz, 12000}}},
        {PartKind::LowPass, "Old film", {{kCutHz, 8000}, {kCutSlope, 24}}},
        {PartKind::Gate, "Gently between words", {{kGateThresholdDb, -45}, {kGateRangeDb, -6}}},
        {PartKind::Gate, "Quiet pauses", {{kGateThresholdDb, -42}, {kGateRangeDb, -24}, {kGateRatio, 4}}},
        {PartKind::Equaliser, "Less box", {{kBells, 350}, {kBells + 1, -4}, {kBells + 2, 1.2}}},
        {PartKind::Equaliser, "Closer", {{kLowShelf + 1, 2}, {kBells + 2 * kBellSize + 1, 2.5}}},
        {PartKind::Equaliser, "More air", {{kHighShelf, 9000}, {kHighShelf + 1, 3}}},
        {PartKind::DeEsser, "Low s sounds", {{kEssLowHz, 4500}, {kEssHighHz, 8000}}},
        {PartKind::DeEsser, "Strong", {{kEssThresholdDb, -9}, {kEssMostDb, 6}}},
        {PartKind::Compressor,
         "Gentle",
         {{kThresholdDb, -20}, {kRatio, 2}, {kKneeDb, 12}, {kReleaseMs, 120}}},
        {PartKind::Compressor,
         "Over pictures",
         {{kThresholdDb, -28}, {kRatio, 4}, {kReleaseMs, 80}, {kMakeUpDb, 8}, {kSideChainHz, 100}}},
        {PartKind::Gain, "Half as loud", {{kGainDb, -10}}},
        {PartKind::Room, "Small room", {{kRoomDecayS, 0.3}, {kRoomLevelDb, -22}}},
        {PartKind::Room, "Hall", {{kRoomDecayS, 1.6}, {kRoomDelayMs, 25}, {kRoomLevelDb, -26}}},
        {PartKind::Limiter, "Broadcast, -1 dBTP", {{kLimiterCeilingDb, -1}}},
        {PartKind::Limiter, "Streaming, -2 dBTP", {{kLimiterCeilingDb, -2}}}};
    std::vector<PartPreset> out;
    std::ranges::copy_if(kPresets, std::back_inserter(out),
                         [kind](const PartPreset& p) { return p.kind == kind; });
    return out;
}

void apply(const PartPreset& preset, ChainPart& part) {
    part.values = make_part(part.kind, 0).values;
    for (const auto& [parameter, value] : preset.values) part.values[parameter] = value;
    mend(part);
}

}  // namespace rivlen
