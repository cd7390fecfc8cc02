// Mixes as tensors: what the network sees, and what the loss needs.
#pragma once

#include <torch/torch.h>

#include "learn/mixer.h"

namespace rivlen::learn {

// Normalised features [frames, 3, 256].
[[nodiscard]] torch::Tensor features_of(const Stereo& mix);

// The loss compares compressed spectra bin by bin: with mixture X, stem S and mask M (equal within a band),
//   (|M X|^.5 - |S|^.5)^2 + 0.5 | (M X)^(.5) - S^(.5) |^2     (compressed magnitude, compressed complex
//   value)
// = 1.5 M |X| + 1.5 |S| - sqrt(M) sqrt(|X| |S|) (2 + cos(angle between X and S)),
// so that a band needs only two sums over its bins, and no tensor of the size of the spectrum is ever made.
struct LossSums {
    torch::Tensor mixture;  // [frames, 256]: sum of 1.5 |X|
    torch::Tensor cross;    // [4, frames, 256]: sum of sqrt(|X| |S|) (2 + cos)
    double constant = 0;    // sum of 1.5 |S|
    double scale = 1;       // 1 / sum of |X|: every clip counts alike
};
[[nodiscard]] LossSums loss_sums(const Mix& mix);

// Mean loss of a batch; logits [clips, 4, frames, 256].
[[nodiscard]] torch::Tensor batch_loss(const torch::Tensor& logits, const std::vector<LossSums>& sums);

}  // namespace rivlen::learn
