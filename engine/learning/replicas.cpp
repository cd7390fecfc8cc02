// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/learning/replicas.h"

#include <ATen/Parallel.h>

#include <exception>
#include <thread>

namespace rivlen {

namespace {

void copy_parameters(const SeparationNetwork& from, SeparationNetwork& to) {
    const torch::NoGradGuard no_grad;
    auto values = to->parameters();
    const auto source = from->parameters();
    for (std::size_t i = 0; i < values.size(); ++i) values[i].copy_(source[i]);
}

}  // namespace

Replicas::Replicas(const SeparationNetwork& network, int workers) {
    networks_.push_back(network);
    for (int w = 1; w < workers; ++w) networks_.emplace_back(network->spec());
}

double Replicas::step(const Work& work) {
    std::vector<double> losses(size());
    std::vector<std::exception_ptr> thrown(size());
    {
        std::vector<std::jthread> threads;
        for (std::size_t w = 0; w < size(); ++w) {
            if (w > 0) copy_parameters(networks_[0], networks_[w]);
            threads.emplace_back([&, w] {
                at::set_num_threads(1);  // per thread: OpenMP keeps this setting for each thread apart
                try {
                    losses[w] = work(networks_[w], w);
                } catch (...) {
                    thrown[w] = std::current_exception();
                }
            });
        }
    }
    for (const auto& e : thrown) {
        if (e) std::rethrow_exception(e);
    }
    const torch::NoGradGuard no_grad;
    auto parameters = networks_[0]->parameters();
    for (std::size_t w = 1; w < size(); ++w) {
        const auto others = networks_[w]->parameters();
        for (std::size_t i = 0; i < parameters.size(); ++i) {
            if (others[i].grad().defined()) parameters[i].mutable_grad() += others[i].grad();
        }
    }
    double sum = 0.0;
    for (const double loss : losses) sum += loss;
    return sum;
}

}  // namespace rivlen
