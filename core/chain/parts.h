// The parts of which chains of tracks and buses are made, as data. processor.h makes them sound.
#pragma once

#include <array>
#include <span>
#include <string>
#include <vector>

#include "core/shape/settings.h"

namespace rivlen {

enum class PartKind { Gain, HighPass, Limiter };
inline constexpr std::size_t kPartKinds = 3;

struct PartInfo {
    const char* key;  // in files
    const char* label;
    const char* sentence;  // what it is for
    std::span<const ParameterInfo> parameters;
};
[[nodiscard]] const PartInfo& info(PartKind kind);

// Indices of the parameters.
namespace parameter {
inline constexpr std::size_t kGainDb = 0;                         // Gain
inline constexpr std::size_t kHighPassHz = 0, kHighPassSlope = 1;  // HighPass; slope in dB per octave
inline constexpr std::size_t kLimiterDriveDb = 0, kLimiterCeilingDb = 1, kLimiterReleaseMs = 2;  // Limiter
}  // namespace parameter

struct ChainPart {
    int id = 0;  // unique in the session
    PartKind kind = PartKind::Gain;
    bool on = true;
    std::vector<double> values;  // by the parameters of info(kind)
    bool operator==(const ChainPart&) const = default;
};
// With standard values.
[[nodiscard]] ChainPart make_part(PartKind kind, int id);
// Brings values into their ranges and missing ones to their standard.
void mend(ChainPart& part);

}  // namespace rivlen
