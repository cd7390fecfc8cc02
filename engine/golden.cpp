// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/golden.h"

#include <algorithm>
#include <cmath>

#include "core/separation/bands.h"

namespace rivlen {

namespace {

constexpr std::int64_t kFrames = 94;

}  // namespace

torch::Tensor golden_features() {
    auto out = torch::empty({1, kFrames, kFeatureChannels, kBands});
    auto* values = out.data_ptr<float>();
    std::uint32_t state = 1;  // Numerical Recipes' generator: only whole numbers, so that no rounding enters
    for (std::int64_t i = 0; i < out.numel(); ++i) {
        state = state * 1664525U + 1013904223U;
        const auto uneven = static_cast<float>(state >> 16U) / 65536.0F;
        // Features lie around one; some bands and frames stand out, as voiced sound does.
        const bool loud = (i / kFeatures) % 23 < 9 && i % 7 == 0;
        values[i] = 2.0F * uneven * uneven + (loud ? 1.5F : 0.25F);
    }
    return out;
}

std::vector<std::uint8_t> golden_masks(SeparationNetwork& network) {
    const torch::NoGradGuard no_grad;
    const auto masks = network->forward(golden_features());
    std::vector<std::uint8_t> codes(static_cast<std::size_t>(masks.numel()));
    const auto* values = masks.data_ptr<float>();
    for (std::size_t i = 0; i < codes.size(); ++i)
        codes[i] =
            std::isfinite(values[i]) ? static_cast<std::uint8_t>(std::lround(255.0F * values[i])) : 255;
    return codes;
}

double golden_difference(SeparationNetwork& network, const std::vector<std::uint8_t>& stored) {
    const auto now = golden_masks(network);
    if (now.size() != stored.size()) return 1.0;
    int largest = 0;
    for (std::size_t i = 0; i < now.size(); ++i) largest = std::max(largest, std::abs(now[i] - stored[i]));
    return largest / 255.0;
}

}  // namespace rivlen
