// SPDX-License-Identifier: GPL-3.0-or-later
// The tone of one take brought to that of another by an equaliser.
#pragma once

#include <array>
#include <optional>
#include <span>

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/effects/inserts.h"
#include "core/mix/plan.h"

namespace rivlen {

// Mean power of third octaves from 80 Hz to 12.5 kHz (IEC 61260's middles by 10^(n/10), from memory) where
// the sound is active: the half of its 50 ms frames that are loudest. In dB, the mean over the bands taken
// off.
inline constexpr std::size_t kToneBands = 23;
[[nodiscard]] double tone_band_hz(std::size_t band);
using Tone = std::array<double, kToneBands>;
// Nothing: shorter than half a second, or silent.
[[nodiscard]] std::optional<Tone> tone_of(std::span<const float> mono, int sample_rate);

// An equaliser whose response comes as near as it can to what `from` lacks of `to`, gains within 12 dB: least
// squares over the bands, every value in turn over finer and finer steps. Its values are as fine as its
// controls.
[[nodiscard]] Insert matching_equaliser(const Tone& from, const Tone& to, int sample_rate);

// For what a clip plays, so that it sounds like another. Both are looked at as their recordings are there.
// Errors: NotFound, BadInput (too short, or silent), Cancelled. Any thread.
[[nodiscard]] Result<Insert> match_tone(const MixPlan& plan, int reference, int matched,
                                        const JobControl& job = {});

}  // namespace rivlen
