// SPDX-License-Identifier: GPL-3.0-or-later
// The units of kernels.h as differentiable operations on tensors: float32, contiguous, on the processor.
// Positions lie as [steps, positions, clips, width], so that both recurrences read and write rows that lie
// together.
#pragma once

#include <torch/torch.h>

#include <array>

#include "engine/units/kernels.h"

namespace rivlen::units {

// Weights of one direction of a bidirectional gated recurrence (Cho et al., "Learning phrase representations
// using RNN encoder-decoder", 2014), in the form and order of gates of torch::nn::GRU:
//   r = s(Wr x + br + Ur h + cr)    z = s(Wz x + bz + Uz h + cz)    n = tanh(Wn x + bn + r (Un h + cn))
//   h' = (1 - z) n + z h
struct GruWeights {
    torch::Tensor weight_ih;  // [3 hidden, width], gates r, z, n
    torch::Tensor weight_hh;  // [3 hidden, hidden]
    torch::Tensor bias_ih, bias_hh;
};
struct NormWeights {
    torch::Tensor weight, bias;  // [width]
};
struct LinearWeights {
    torch::Tensor weight, bias;  // [out, in], [out]
};

// x + out(recurrence(norm(x))), along the steps or along the positions of a step.
//
// With reach.window > 0 the output of a step depends on at most window + overlap - 1 steps before it (after
// it, backward) and on nothing further away: steps are taken in windows, and each begins with an empty state
// `overlap` steps early. Over these the output goes over, along a smooth curve, from the state of the window
// before to its own, which has been warming up there; so it never jumps.
[[nodiscard]] torch::Tensor recurrent(const torch::Tensor& x, bool along_steps, const Reach& reach,
                                      const NormWeights& norm, const std::array<GruWeights, 2>& gru,
                                      const LinearWeights& out);

// The same without gradients, into the wanted steps (along x's first axis) of `out`, which has the shape of x
// and does not overlap it. What lies outside them is read where they look at it, and not written.
void recurrent_into(const torch::Tensor& x, bool along_steps, const Reach& reach, const Steps& wanted,
                    const NormWeights& norm, const std::array<GruWeights, 2>& gru,
                    const LinearWeights& out_layer, const torch::Tensor& out);

// x + out(max(0, up(norm(x)))).
[[nodiscard]] torch::Tensor perceptron(const torch::Tensor& x, const NormWeights& norm,
                                       const LinearWeights& up, const LinearWeights& out);

// The same without gradients, in place of x.
void perceptron_in_place(const torch::Tensor& x, const NormWeights& norm, const LinearWeights& up,
                         const LinearWeights& out);

// How features [clips, frames, kinds, bands] are cut in patches.
struct PatchForm {
    std::int64_t frames, bands, channels;
};
// One linear layer a band position: weight [positions, inputs, width], bias [positions, 1, width].
[[nodiscard]] torch::Tensor embed(const torch::Tensor& features, const PatchForm& form,
                                  const torch::Tensor& weight, const torch::Tensor& bias);

// The same without gradients, into `out`.
void embed_into(const torch::Tensor& features, const PatchForm& form, const torch::Tensor& weight,
                const torch::Tensor& bias, const torch::Tensor& out);

// Norm, and two layers a band position; the first sees the patch itself, too, when it has inputs for it.
struct HeadWeights {
    NormWeights norm;
    torch::Tensor weight1, bias1;  // [positions, inputs, hidden], [positions, 1, hidden]
    torch::Tensor weight2, bias2;  // [positions, hidden, stems x patch]
};
// Masks of the first frames of x and of the features, which begin with the same step, written into `masks`
// [clips, frames, stems, bands]. Without gradients.
void head(const torch::Tensor& x, const torch::Tensor& features, const PatchForm& form,
          const HeadWeights& weights, const torch::Tensor& masks);

// What masks are measured against (engine/learning/examples.h): over clips, frames and bands, with M the
// softmax of the logits,
//   sum of weight (M mixture (1 + absent) - sqrt(M) cross).
struct LossTensors {
    torch::Tensor mixture;  // [clips, frames, bands]
    torch::Tensor cross;    // [clips, stems, frames, bands]
    torch::Tensor absent;   // [clips, stems]
    torch::Tensor weights;  // [clips]
};
[[nodiscard]] torch::Tensor head_loss(const torch::Tensor& x, const torch::Tensor& features,
                                      const PatchForm& form, const HeadWeights& weights,
                                      const LossTensors& targets);

// The nearest matrices with all singular values near one, by five steps of a quintic Newton-Schulz iteration
// (Jordan et al., "Muon: An optimizer for hidden layers in neural networks", 2024). x [batch, rows, columns];
// rows and columns are multiples of 16.
[[nodiscard]] torch::Tensor orthogonalised(const torch::Tensor& x);

}  // namespace rivlen::units
