// SPDX-License-Identifier: GPL-3.0-or-later
// A network and copies of it that learn side by side, a thread each.
#pragma once

#include <cstddef>
#include <functional>
#include <vector>

#include "engine/network.h"

namespace rivlen {

class Replicas {
  public:
    // The first of them is `network` itself.
    Replicas(const SeparationNetwork& network, int workers);
    [[nodiscard]] std::size_t size() const { return networks_.size(); }

    // work(network, worker) leaves the gradients of its share of a step in its network and returns its loss;
    // all workers at once, each with the weights of the first. Then the gradients of the first are the sum
    // of all. Returns the sum of the losses. What a worker throws is thrown here.
    using Work = std::function<double(SeparationNetwork& network, std::size_t worker)>;
    double step(const Work& work);

  private:
    std::vector<SeparationNetwork> networks_;
};

}  // namespace rivlen
