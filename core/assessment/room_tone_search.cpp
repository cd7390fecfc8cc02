// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/room_tone_search.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/assessment/step_energies.h"
#include "core/dsp/decibels.h"
#include "core/dsp/quantile.h"
#include "core/separation/band_powers.h"

namespace rivlen {

namespace {

constexpr double kQuietShare = 0.2, kOverQuietDb = 6.0, kForeignShare = 0.1;
constexpr double kShortestToneSeconds = 0.3, kMostToneSeconds = 20.0;
constexpr std::size_t kBesideSteps = 1;  // that are left to what is around a pause

struct ToneSteps {
    std::size_t first = 0, last = 0;
    [[nodiscard]] std::size_t length() const { return last - first; }
};

std::vector<ToneSteps> runs_of(const std::vector<bool>& quiet, std::size_t shortest) {
    std::vector<ToneSteps> out;
    std::size_t first = 0;
    for (std::size_t i = 0; i <= quiet.size(); ++i) {
        if (i < quiet.size() && quiet[i]) continue;
        if (i - first >= shortest + 2 * kBesideSteps) out.push_back({first + kBesideSteps, i - kBesideSteps});
        first = i + 1;
    }
    return out;
}

}  // namespace

Result<std::vector<LoopRange>> find_room_tone(const Source& source, const MaskMap* map,
                                              const JobControl& job) {
    const auto steps = step_energies(source, map, job);
    if (job.cancelled()) return JobControl::cancelled_error();
    std::vector<double> sounding;
    for (const auto& step : steps) {
        if (total_of(step) > 0) sounding.push_back(total_of(step));
    }
    if (sounding.empty()) return std::vector<LoopRange>{};
    const double most = quantile(sounding, kQuietShare) * power_of_db(kOverQuietDb);
    std::vector<bool> quiet;
    for (const auto& step : steps) {
        const double total = total_of(step);
        quiet.push_back(total > 0 && total <= most && total - step[2] <= kForeignShare * total);
    }
    constexpr double kStepsASecond = kMapFramesPerSecond / kEnergyStepFrames;
    auto runs = runs_of(quiet, static_cast<std::size_t>(std::ceil(kShortestToneSeconds * kStepsASecond)));
    std::ranges::stable_sort(runs, std::greater{}, &ToneSteps::length);
    std::size_t together = 0, count = 0;
    while (count < runs.size() && together < static_cast<std::size_t>(kMostToneSeconds * kStepsASecond))
        together += runs[count++].length();
    runs.resize(count);
    std::ranges::sort(runs, {}, &ToneSteps::first);
    std::vector<LoopRange> out;
    for (const auto& run : runs)
        out.push_back({start_of_step(source, run.first), start_of_step(source, run.last)});
    return out;
}

}  // namespace rivlen
