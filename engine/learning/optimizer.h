// SPDX-License-Identifier: GPL-3.0-or-later
// The optimiser of the training: Muon for matrices, AdamW for everything else.
#pragma once

#include <torch/torch.h>

#include <string>
#include <vector>

namespace rivlen {

struct OptimizerOptions {
    double weight_decay = 0.01;
    double momentum = 0.95;  // of matrices
    double beta1 = 0.9, beta2 = 0.999;
    double clip_norm = 1.0;  // of the whole gradient
    bool muon = true;        // false: AdamW for matrices, too
};

// Matrices take orthogonalised steps (units::orthogonalised) of the size 0.2 sqrt(max(rows, columns)) times
// the rate, which equals AdamW's usual step in root mean square (Liu et al., "Muon is scalable for LLM
// training", 2025), so that one rate serves both. The three gates of a recurrence count as three matrices,
// layers of single bands as one each; matrices whose sides are not multiples of 16 are left to AdamW.
class Optimizer {
  public:
    Optimizer(torch::nn::Module& network, OptimizerOptions options);
    // One step with the gradients that the parameters hold; parameters are shared out among `workers`
    // threads.
    void step(double rate, int workers);
    void save(torch::serialize::OutputArchive& archive) const;
    void load(torch::serialize::InputArchive& archive);

  private:
    struct Slot {
        torch::Tensor parameter;
        torch::Tensor first, second;         // moments; second is empty for matrices
        std::vector<std::int64_t> matrices;  // shape [batch, rows, columns]; empty: no matrix
    };
    void step_one(Slot& slot, double rate) const;
    OptimizerOptions options_;
    std::vector<Slot> slots_;
    std::int64_t steps_ = 0;
};

}  // namespace rivlen
