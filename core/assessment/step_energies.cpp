// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/step_energies.h"

#include <algorithm>
#include <cmath>

#include "core/separation/band_powers.h"

namespace rivlen {

std::vector<StepEnergy> step_energies(const Source& source, const MaskMap* map, const JobControl& job) {
    constexpr std::int64_t kPieceFrames = 400 * static_cast<std::int64_t>(kEnergyStepFrames);
    const auto frames = map != nullptr
                            ? static_cast<std::int64_t>(map->facts().frames)
                            : static_cast<std::int64_t>(std::ceil(source.seconds() * kMapFramesPerSecond));
    std::vector<StepEnergy> steps;
    std::array<float, kMaskRow> masks{};
    std::fill(masks.begin() + 3 * kBands, masks.end(), 1.0F);  // ambience, where there is no map
    for (std::int64_t first = 0; first < frames && !job.cancelled(); first += kPieceFrames) {
        const std::int64_t last = std::min(frames, first + kPieceFrames);
        const auto powers = band_powers(source, first, last);
        for (std::int64_t t = first; t < last; ++t) {
            const auto step = static_cast<std::size_t>(t) / kEnergyStepFrames;
            if (step == steps.size()) steps.emplace_back();
            if (map != nullptr) map->read(static_cast<double>(t), masks);
            const float* power = powers.data() + (t - first) * kBands;
            for (std::size_t b = 0; b < kBands; ++b) {
                const auto p = static_cast<double>(power[b]);
                steps[step][0] += p * static_cast<double>(masks[b] + masks[kBands + b]);
                steps[step][1] += p * static_cast<double>(masks[2 * kBands + b]);
                steps[step][2] += p * static_cast<double>(masks[3 * kBands + b]);
            }
        }
        source.drop_pages();
        job.report(static_cast<double>(last) / static_cast<double>(frames));
    }
    return steps;
}

std::int64_t start_of_step(const Source& source, std::size_t step) {
    const double frames_a_step =
        static_cast<double>(kEnergyStepFrames) * source.sample_rate() / kMapFramesPerSecond;
    return std::min(static_cast<std::int64_t>(source.frames()),
                    static_cast<std::int64_t>(static_cast<double>(step) * frames_a_step));
}

}  // namespace rivlen
