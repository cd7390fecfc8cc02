// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/average.h"

#include <fmt/format.h>

#include "engine/network.h"

namespace rivlen::learn {

Status average(const AverageOptions& options) {
    std::vector<SeparationNetwork> networks;
    std::string from;
    for (const auto& path : options.models) {
        auto loaded = load_network(path);
        if (!loaded) return loaded.error();
        networks.push_back(loaded->network);
        from += (from.empty() ? "" : ", ") + path.filename().string();
    }
    if (options.memory_steps > 0) {
        NetworkSpec spec = networks.back()->spec();
        spec.memory_steps = options.memory_steps;
        spec.memory_overlap = options.memory_overlap;
        SeparationNetwork other(spec);
        if (auto status = copy_weights(networks.back(), other); !status) return status;
        networks.back() = other;
    }
    auto mean = mean_of_weights(networks);
    if (!mean) return mean.error();
    return save_network(*mean, options.out, {{"training", fmt::format(R"({{"mean_of": "{}"}})", from)}});
}

}  // namespace rivlen::learn
