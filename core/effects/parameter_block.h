// SPDX-License-Identifier: GPL-3.0-or-later
// The kinds of inserts, and names for their values: a name is a type of its kind, so that a compressor's name
// cannot read a gate's value.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <span>

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

// Goes by a filtered copy of its input, which can be listened to.
[[nodiscard]] constexpr bool has_key(EffectType kind) {
    return kind == EffectType::Gate || kind == EffectType::Compressor;
}

// Which of an insert's values, by its position in info(Kind).parameters.
template <EffectType Kind>
struct ParameterOf {
    std::size_t index;
};
// Both cut filters have the same parameters, which are named by the high-pass.
[[nodiscard]] constexpr bool has_parameters_of(EffectType kind, EffectType named) {
    return kind == named || (kind == EffectType::LowPass && named == EffectType::HighPass);
}

namespace parameter {

inline constexpr ParameterOf<EffectType::Clipping> kClipLevelDb{0}, kClipMaxReductionDb{1};
inline constexpr ParameterOf<EffectType::Clicks> kClickOverDb{0}, kClickLongestMs{1};
inline constexpr ParameterOf<EffectType::Plosives> kPlosiveThresholdDb{0}, kPlosiveHz{1},
    kPlosiveMaxReductionDb{2};
inline constexpr ParameterOf<EffectType::Hum> kHumHz{0}, kHumHarmonics{1}, kHumMaxReductionDb{2},
    kHumFollowHz{3};
inline constexpr ParameterOf<EffectType::Wind> kWindReachHz{0}, kWindFallDb{1}, kWindMaxReductionDb{2};
inline constexpr ParameterOf<EffectType::Hiss> kHissLevelDb{0}, kHissTiltDb{1}, kHissMaxReductionDb{2},
    kHissFromHz{3};
inline constexpr ParameterOf<EffectType::HighPass> kCutHz{0}, kCutSlope{1};  // slope in dB per octave
inline constexpr ParameterOf<EffectType::Gate> kGateThresholdDb{0}, kGateRatio{1}, kGateRangeDb{2},
    kGateAttackMs{3}, kGateHoldMs{4}, kGateReleaseMs{5}, kGateHysteresisDb{6}, kGateLookAheadMs{7},
    kGateKeyLowHz{8}, kGateKeyHighHz{9};
inline constexpr ParameterOf<EffectType::DeEsser> kEssLowHz{0}, kEssHighHz{1}, kEssThresholdDb{2},
    kEssMaxReductionDb{3}, kEssFollowPercent{4};
inline constexpr ParameterOf<EffectType::Compressor> kThresholdDb{0}, kRatio{1}, kKneeDb{2}, kAttackMs{3},
    kReleaseMs{4}, kMakeUpDb{5}, kSideChainHz{6}, kRmsMs{7}, kLookAheadMs{8}, kLinkPercent{9};
inline constexpr ParameterOf<EffectType::Gain> kGainDb{0};
inline constexpr ParameterOf<EffectType::Reverb> kRoomLevelDb{0}, kRoomDecayS{1}, kRoomDelayMs{2},
    kRoomDampHz{3};
inline constexpr ParameterOf<EffectType::Limiter> kLimiterDriveDb{0}, kLimiterCeilingDb{1},
    kLimiterReleaseMs{2};
// The equaliser's bands from low to high: a low shelf, three bells, a high shelf. Shelves have no Q.
inline constexpr std::size_t kEqBands = 5;
[[nodiscard]] constexpr ParameterOf<EffectType::Equaliser> eq_hz(std::size_t band) {
    return {band == 0 ? 0 : 3 * band - 1};
}
[[nodiscard]] constexpr ParameterOf<EffectType::Equaliser> eq_gain_db(std::size_t band) {
    return {eq_hz(band).index + 1};
}
[[nodiscard]] constexpr ParameterOf<EffectType::Equaliser> eq_q(std::size_t bell) {
    return {eq_hz(bell).index + 2};
}

}  // namespace parameter

inline constexpr std::size_t kMostParameters = 13;  // of the equaliser

// The values of one insert of a kind, without allocation.
template <EffectType Kind>
class ParameterBlock {
  public:
    ParameterBlock() = default;
    // Copies; what is missing is 0.
    explicit ParameterBlock(std::span<const double> values)
        : count_(std::min(values.size(), kMostParameters)) {
        std::ranges::copy(values.first(count_), values_.begin());
    }
    [[nodiscard]] double operator[](ParameterOf<Kind> parameter) const { return values_[parameter.index]; }
    [[nodiscard]] double& operator[](ParameterOf<Kind> parameter) { return values_[parameter.index]; }
    [[nodiscard]] operator std::span<const double>() const { return {values_.data(), count_}; }
    bool operator==(const ParameterBlock&) const = default;

  private:
    std::array<double, kMostParameters> values_{};
    std::size_t count_ = 0;
};

}  // namespace rivlen
