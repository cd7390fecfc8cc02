// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/binaural.h"

#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/space/quadrature.h"
#include "core/space/spherical_harmonics.h"

namespace rivlen {

namespace {

std::vector<StereoConvolver::Responses> of_ambisonics(const HeadResponses& head, int order,
                                                      DecoderWeights weights) {
    const auto harmonics = static_cast<std::size_t>((order + 1) * (order + 1));
    std::vector<StereoConvolver::Responses> all(harmonics);
    const auto by_order = weights == DecoderWeights::MaxRe
                              ? max_re_weights(order)
                              : std::vector<double>(static_cast<std::size_t>(order) + 1, 1.0);
    std::vector<double> y(harmonics);
    for (const auto& node : sphere_grid(order + 2, 2 * order + 4)) {
        const auto ears = head.at(node.direction);
        spherical_harmonics(node.direction, y);
        for (std::size_t k = 0; k < harmonics; ++k) {
            const int n = order_of_channel(k);
            const auto part =
                static_cast<float>(node.weight * (2 * n + 1) * by_order[static_cast<std::size_t>(n)] * y[k]);
            all[k].left.resize(ears.left.size());
            all[k].right.resize(ears.right.size());
            for (std::size_t i = 0; i < ears.left.size(); ++i) {
                all[k].left[i] += part * ears.left[i];
                all[k].right[i] += part * ears.right[i];
            }
        }
    }
    return all;
}

}  // namespace

std::vector<StereoConvolver::Responses> binaural_responses(const HeadResponses& head, Layout layout,
                                                           const ConversionSettings& settings) {
    if (const int order = ambisonic_order(layout); order > 0)
        return of_ambisonics(head, order, settings.decoder);
    std::vector<StereoConvolver::Responses> all;
    for (const auto& speaker : loudspeakers(layout)) {
        if (speaker.lfe) {
            const double db = settings.fold_down.lfe_db;
            const auto gain = static_cast<float>(db <= FoldDown::kNothingDb ? 0 : amplitude_of_db(db));
            all.push_back({{gain}, {gain}});
            continue;
        }
        auto ears = head.at(speaker.direction);
        all.push_back({std::move(ears.left), std::move(ears.right)});
    }
    return all;
}

}  // namespace rivlen
