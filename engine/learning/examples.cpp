// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/learning/examples.h"

namespace rivlen {

Batch batch_of(const std::vector<Example>& examples, std::size_t clips, double absent_cost) {
    Batch batch;
    std::vector<torch::Tensor> features;
    std::vector<torch::Tensor> mixture;
    std::vector<torch::Tensor> cross;
    const auto count = static_cast<std::int64_t>(examples.size());
    batch.targets.absent = torch::zeros({count, kStems});
    batch.targets.weights = torch::empty({count});
    for (std::size_t i = 0; i < examples.size(); ++i) {
        const LossSums& sums = examples[i].sums;
        features.push_back(examples[i].features);
        mixture.push_back(sums.mixture);
        cross.push_back(sums.cross);
        const double weight = sums.scale / static_cast<double>(clips);
        batch.targets.weights.data_ptr<float>()[i] = static_cast<float>(weight);
        batch.constant += sums.constant * weight;
        for (std::size_t s = 0; s < kStems; ++s)
            batch.targets.absent.data_ptr<float>()[i * kStems + s] =
                sums.absent[s] ? static_cast<float>(absent_cost) : 0.0F;
    }
    batch.features = torch::stack(features);
    batch.targets.mixture = torch::stack(mixture);
    batch.targets.cross = torch::stack(cross);
    return batch;
}

void follow_masks(Batch& batch, const torch::Tensor& masks, double share) {
    units::LossTensors& targets = batch.targets;
    const auto sounds = (targets.cross.sum({2, 3}, true) > 0).to(torch::kFloat32);
    const auto wanted = masks.transpose(1, 2) * sounds;
    const auto mixture = targets.mixture.unsqueeze(1);
    targets.cross = ((1.0 - share) * targets.cross + share * 2.0 * mixture * wanted.sqrt()).contiguous();
    const auto constants = (mixture * wanted).sum({1, 2, 3});
    batch.constant =
        (1.0 - share) * batch.constant + share * (constants * targets.weights).sum().item<double>();
}

}  // namespace rivlen
