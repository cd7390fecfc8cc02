// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of which chains of tracks and buses are made, as data. processor.h makes them sound.
#pragma once

#include <array>
#include <span>
#include <string>
#include <vector>

#include "core/base/parameter.h"

namespace rivlen {

// In the order in which a chain usually has them.
enum class EffectType {
    Clipping,  // repairs
    Clicks,
    Plosives,
    Hum,
    Wind,
    Hiss,
    HighPass,  // the voice chain
    LowPass,
    Gate,
    Equaliser,
    DeEsser,
    Compressor,
    Gain,
    Reverb,
    Limiter
};
inline constexpr std::size_t kEffectTypes = 15;
// Takes something out that can be listened to by itself.
[[nodiscard]] constexpr bool is_repair(EffectType kind) {
    return kind < EffectType::HighPass;
}

struct EffectInfo {
    const char* key;  // in files
    const char* label;
    const char* sentence;  // what it is for
    std::span<const ParameterInfo> parameters;
};
[[nodiscard]] const EffectInfo& info(EffectType kind);

// Indices of the parameters.
namespace parameter {
inline constexpr std::size_t kClipLevelDb = 0, kClipMaxReductionDb = 1;
inline constexpr std::size_t kClickOverDb = 0, kClickLongestMs = 1;
inline constexpr std::size_t kPlosiveThresholdDb = 0, kPlosiveHz = 1, kPlosiveMaxReductionDb = 2;
inline constexpr std::size_t kHumHz = 0, kHumHarmonics = 1, kHumMaxReductionDb = 2, kHumFollowHz = 3;
inline constexpr std::size_t kWindReachHz = 0, kWindFallDb = 1, kWindMaxReductionDb = 2;
inline constexpr std::size_t kHissLevelDb = 0, kHissTiltDb = 1, kHissMaxReductionDb = 2, kHissFromHz = 3;
inline constexpr std::size_t kGainDb = 0;                // Gain
inline constexpr std::size_t kCutHz = 0, kCutSlope = 1;  // HighPass, LowPass; slope in dB per octave
inline constexpr std::size_t kLimiterDriveDb = 0, kLimiterCeilingDb = 1, kLimiterReleaseMs = 2;
inline constexpr std::size_t kThresholdDb = 0, kRatio = 1, kKneeDb = 2, kAttackMs = 3, kReleaseMs = 4,
                             kMakeUpDb = 5,
                             kSideChainHz = 6;  // Compressor
inline constexpr std::size_t kGateThresholdDb = 0, kGateRatio = 1, kGateRangeDb = 2, kGateAttackMs = 3,
                             kGateHoldMs = 4, kGateReleaseMs = 5;
inline constexpr std::size_t kEssLowHz = 0, kEssHighHz = 1, kEssThresholdDb = 2, kEssMaxReductionDb = 3;
inline constexpr std::size_t kRoomLevelDb = 0, kRoomDecayS = 1, kRoomDelayMs = 2, kRoomDampHz = 3;
// Equaliser: a low shelf and a high shelf (frequency, gain), three bells between them (frequency, gain, Q).
inline constexpr std::size_t kLowShelf = 0, kBells = 2, kHighShelf = 11;
inline constexpr std::size_t kBellCount = 3, kBellSize = 3;
}  // namespace parameter

struct Insert {
    int id = 0;  // unique in the session
    EffectType kind = EffectType::Gain;
    bool on = true;
    std::vector<double> values;  // by the parameters of info(kind)
    bool operator==(const Insert&) const = default;
};
// With standard values.
[[nodiscard]] Insert make_part(EffectType kind, int id);
// Brings values into their ranges and missing ones to their standard.
void normalise(Insert& part);

// High-pass, de-esser, compressor and limiter with values of common practice (no source): sibilance between 6
// and 10 kHz, at most 2 dB of it; -24 dB, 3:1, soft knee, 10 ms; ceiling at -0.5 dBTP. Ids are 1 to 4.
[[nodiscard]] std::vector<Insert> voice_start_chain();

}  // namespace rivlen
