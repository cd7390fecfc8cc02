// SPDX-License-Identifier: GPL-3.0-or-later
// What the network learns from: clips of mixed sound as it sees them, and what the loss needs of their parts.
#pragma once

#include <torch/torch.h>

#include <array>
#include <vector>

#include "core/separation/bands.h"
#include "engine/units/operations.h"

namespace rivlen {

// The loss compares compressed spectra bin by bin: with mixture X, stem S and mask M (equal within a band),
//   (|M X|^.5 - |S|^.5)^2 + 0.5 | (M X)^(.5) - S^(.5) |^2     (compressed magnitude, compressed complex
//   value)
// = 1.5 M |X| + 1.5 |S| - sqrt(M) sqrt(|X| |S|) (2 + cos(angle between X and S)),
// so that a band needs only two sums over its bins, and no tensor of the size of the spectrum is ever made.
struct LossSums {
    torch::Tensor mixture;              // [frames, 256]: sum of 1.5 |X|
    torch::Tensor cross;                // [4, frames, 256]: sum of sqrt(|X| |S|) (2 + cos)
    double constant = 0;                // sum of 1.5 |S|
    double scale = 1;                   // 1 / sum of |X|: every clip counts alike
    std::array<bool, kStems> absent{};  // stems that are silent throughout
};

// One clip to learn from.
struct Example {
    torch::Tensor features;  // [frames, 3, 256]
    LossSums sums;
};

// A batch as the network takes it. What goes to a stem that is absent costs 1 + absent_cost times what the
// sums above say: a lone voice in the wrong stem is the worst that can happen, and the plain sums hardly see
// it.
struct Batch {
    torch::Tensor features;  // [clips, frames, 3, 256]
    units::LossTensors targets;
    double constant = 0;  // to be added to what units::head_loss gives
};
// examples: equally long. clips: of the whole step, of which these examples may be a part; their losses add
// up to the mean over all of them.
[[nodiscard]] Batch batch_of(const std::vector<Example>& examples, std::size_t clips, double absent_cost);

// Blends into what is learned what another model says of the same features (distillation: Hinton et al.,
// "Distilling the knowledge in a neural network", 2015). Masks m in place of the truth, compressed as above,
// give 1.5 |X| (sqrt(M) - sqrt(m))^2, which has the form of the loss with cross = 2 mixture sqrt(m). An
// absent stem keeps the truth. masks: [clips, frames, 4, 256]; share: of them, 0 to 1; the truth has the
// rest.
void follow_masks(Batch& batch, const torch::Tensor& masks, double share);

}  // namespace rivlen
