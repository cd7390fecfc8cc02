// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/learning/optimizer.h"

#include <ATen/Parallel.h>

#include <atomic>
#include <cmath>
#include <thread>

#include "engine/units/operations.h"

namespace rivlen {

using torch::Tensor;

Optimizer::Optimizer(torch::nn::Module& network, OptimizerOptions options) : options_(options) {
    for (const auto& item : network.named_parameters()) {
        Slot slot;
        slot.parameter = item.value();
        slot.first = torch::zeros_like(slot.parameter);
        const auto sizes = slot.parameter.sizes();
        const bool matrix = (sizes.size() == 2 || sizes.size() == 3) && sizes[sizes.size() - 2] > 1 &&
                            sizes[sizes.size() - 2] % 16 == 0 && sizes[sizes.size() - 1] % 16 == 0;
        if (options_.muon && matrix) {
            const bool gates = item.key().find("weight_ih") != std::string::npos ||
                               item.key().find("weight_hh") != std::string::npos;
            if (gates) {
                slot.matrices = {3, sizes[0] / 3, sizes[1]};
            } else if (sizes.size() == 2) {
                slot.matrices = {1, sizes[0], sizes[1]};
            } else {
                slot.matrices = sizes.vec();
            }
        } else {
            slot.second = torch::zeros_like(slot.parameter);
        }
        slots_.push_back(std::move(slot));
    }
}

void Optimizer::step(double rate, int workers) {
    {
        const torch::NoGradGuard no_grad;
        std::vector<Tensor> parameters;
        for (auto& slot : slots_) parameters.push_back(slot.parameter);
        torch::nn::utils::clip_grad_norm_(parameters, options_.clip_norm);
    }
    ++steps_;
    std::atomic<std::size_t> next{0};
    const auto run = [&] {
        at::set_num_threads(1);
        const torch::NoGradGuard no_grad;
        for (std::size_t i = next++; i < slots_.size(); i = next++) step_one(slots_[i], rate);
    };
    std::vector<std::jthread> threads;
    for (int w = 1; w < workers; ++w) threads.emplace_back(run);
    run();
}

void Optimizer::step_one(Slot& slot, double rate) const {
    const auto t = static_cast<double>(steps_);
    const Tensor& gradient = slot.parameter.grad();
    slot.parameter.mul_(1.0 - rate * options_.weight_decay);
    if (!slot.matrices.empty()) {
        slot.first.mul_(options_.momentum).add_(gradient);
        const auto ahead = gradient + options_.momentum * slot.first;
        const auto update = units::orthogonalised(ahead.view(slot.matrices)).reshape(slot.parameter.sizes());
        const auto larger = static_cast<double>(std::max(slot.matrices[1], slot.matrices[2]));
        slot.parameter.add_(update, -rate * 0.2 * std::sqrt(larger));
    } else {
        slot.first.mul_(options_.beta1).add_(gradient, 1.0 - options_.beta1);
        slot.second.mul_(options_.beta2).addcmul_(gradient, gradient, 1.0 - options_.beta2);
        const auto spread = (slot.second / (1.0 - std::pow(options_.beta2, t))).sqrt_().add_(1e-8);
        slot.parameter.addcdiv_(slot.first, spread, -rate / (1.0 - std::pow(options_.beta1, t)));
    }
}

void Optimizer::save(torch::serialize::OutputArchive& archive) const {
    archive.write("steps", torch::tensor(steps_, torch::kInt64));
    for (std::size_t i = 0; i < slots_.size(); ++i) {
        archive.write("first" + std::to_string(i), slots_[i].first);
        if (slots_[i].second.defined()) archive.write("second" + std::to_string(i), slots_[i].second);
    }
}

void Optimizer::load(torch::serialize::InputArchive& archive) {
    Tensor steps;
    archive.read("steps", steps);
    steps_ = steps.item<std::int64_t>();
    for (std::size_t i = 0; i < slots_.size(); ++i) {
        archive.read("first" + std::to_string(i), slots_[i].first);
        if (slots_[i].second.defined()) archive.read("second" + std::to_string(i), slots_[i].second);
    }
}

}  // namespace rivlen
