// SPDX-License-Identifier: GPL-3.0-or-later
// How much later than it was played sound comes back by a cable, or by the air, from output to input: what a
// take has to be moved earlier.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <vector>

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/mix/plan.h"

namespace rivlen {

// What is played to measure it: three sweeps from 200 Hz to 8 kHz at -12 dBFS, unevenly apart so that none is
// taken for another, and as much silence behind them as the longest delay that is found.
inline constexpr double kLongestRecordingDelaySeconds = 1.0;
[[nodiscard]] std::vector<float> loop_back_signal(int sample_rate);

// Plays the signal from frame 0, unfaded. The folder is made where it is missing; the file it is played from
// is written there, over one of an earlier measurement. Errors: those of writing and of bringing in.
[[nodiscard]] Result<std::shared_ptr<const MixPlan>> loop_back_plan(const std::filesystem::path& folder,
                                                                    int sample_rate);

// recorded: from when the signal began to be played on. In frames, 0 to kLongestRecordingDelaySeconds.
// Errors: BadInput (the signal is not in it), Cancelled. Any thread.
[[nodiscard]] Result<std::int64_t> recording_delay(std::span<const float> recorded, int sample_rate,
                                                   const JobControl& job = {});

}  // namespace rivlen
