// SPDX-License-Identifier: GPL-3.0-or-later
// A proposed isolation for a purpose, from the measured trade-off.
#pragma once

#include <span>
#include <string>

#include "core/assessment/tradeoff.h"

namespace rivlen {

enum class Purpose { Natural, Alone, OverPictures };
inline constexpr std::size_t kPurposes = 3;
inline constexpr std::array<const char*, kPurposes> kPurposeKeys = {"natural", "alone", "over-pictures"};
inline constexpr std::array<const char*, kPurposes> kPurposeLabels = {"Natural", "Stands alone",
                                                                      "Over other pictures"};

struct Proposal {
    double isolation_percent = 0;
    double temporal_smoothing_percent = 0;  // 0: none is proposed
    TradeOff figures;                       // there, as the curve has them: without the steadiness
    std::string reason;                     // one sentence
};

// Puts a proposal into settings. Steadiness that is already on is left as it is.
void take(const Proposal& proposal, StemSettings& settings);

// curve: Assessment::curve(), isolation in even steps from 0 to 100 %. The point is where the energy that
// leaks in plus `dear` times the energy that is bent is least; `dear` falls from Natural to OverPictures, and
// Natural and Alone never go beyond the most that practice settles on (40 % and 70 %, common practice, no
// source) unless the damage there is still next to nothing. Where the residue would twitter (musical noise),
// a little steadiness goes with it; 5 % is what gained most on other mixes than those reported
// (docs/tuning.md).
[[nodiscard]] Proposal propose(std::span<const TradeOff> curve, Purpose purpose);

}  // namespace rivlen
