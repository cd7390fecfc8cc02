// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes as tensors: what the network sees, and what the loss needs.
#pragma once

#include <torch/torch.h>

#include "engine/learning/examples.h"
#include "learn/mixer.h"

namespace rivlen::learn {

// Normalised features [frames, 3, 256].
[[nodiscard]] torch::Tensor features_of(const Stereo& mix);

[[nodiscard]] LossSums loss_sums(const Mix& mix);

}  // namespace rivlen::learn
