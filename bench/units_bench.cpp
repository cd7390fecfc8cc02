// SPDX-License-Identifier: GPL-3.0-or-later
// GFLOP/s of the network's units, each with the shapes of models/fine, for every instruction set that the
// machine has:
//   build/release/bench/rivlen-units-bench
// Operations count a product and a sum each; norms and gates are not counted.
#include <benchmark/benchmark.h>
#include <malloc.h>
#include <torch/torch.h>

#include "engine/units/kernels.h"
#include "engine/units/operations.h"

namespace rivlen::units {
namespace {

using torch::Tensor;

constexpr std::int64_t kSteps = 71, kPositions = 32, kClips = 8, kWidth = 96, kHidden = 64, kInner = 192;
constexpr double kRows = static_cast<double>(kSteps * kPositions * kClips);

Tensor weight(std::vector<std::int64_t> shape) {
    return (torch::randn(shape) * 0.1).requires_grad_();
}

// Forward alone, or forward and backward, which is three times the work.
template <typename Operation>
void run(benchmark::State& state, const Kernels* chosen, bool learning, double products,
         const Operation& operation) {
    at::set_num_threads(1);
    use_kernels(chosen);
    const auto x = torch::randn({kSteps, kPositions, kClips, kWidth}).requires_grad_();
    const auto slope = torch::randn(x.sizes());
    const torch::AutoGradMode mode(learning);
    for (auto _ : state) {
        const Tensor y = operation(x);
        if (learning) y.backward(slope);
        benchmark::DoNotOptimize(y);
    }
    use_kernels(nullptr);
    state.counters["GFLOP/s"] = benchmark::Counter(2e-9 * products * (learning ? 3.0 : 1.0),
                                                   benchmark::Counter::kIsIterationInvariantRate);
}

void recurrent_unit(benchmark::State& state, const Kernels* chosen, bool learning, bool along_steps,
                    std::int64_t memory_steps) {
    const NormWeights norm{weight({kWidth}), weight({kWidth})};
    std::array<GruWeights, 2> gru;
    for (auto& d : gru)
        d = {weight({3 * kHidden, kWidth}), weight({3 * kHidden, kHidden}), weight({3 * kHidden}),
             weight({3 * kHidden})};
    const LinearWeights out{weight({kWidth, 2 * kHidden}), weight({kWidth})};
    const double twice_hidden = memory_steps > 0 ? 2.0 : 1.0;  // a state that warms up beside the other
    run(state, chosen, learning,
        kRows * 2.0 * (3.0 * kHidden * kWidth + twice_hidden * 3.0 * kHidden * kHidden + kHidden * kWidth),
        [&](const Tensor& x) { return recurrent(x, along_steps, memory_steps, norm, gru, out); });
}

void perceptron_unit(benchmark::State& state, const Kernels* chosen, bool learning) {
    const NormWeights norm{weight({kWidth}), weight({kWidth})};
    const LinearWeights up{weight({kInner, kWidth}), weight({kInner})};
    const LinearWeights out{weight({kWidth, kInner}), weight({kWidth})};
    run(state, chosen, learning, kRows * 2.0 * kWidth * kInner,
        [&](const Tensor& x) { return perceptron(x, norm, up, out); });
}

void add_benches() {
    for (const Kernels* k : available_kernels()) {
        for (const bool learning : {false, true}) {
            const auto add = [&](const std::string& unit, auto... arguments) {
                const std::string name =
                    std::string(k->name) + "/" + unit + (learning ? "/learning" : "/splitting");
                benchmark::RegisterBenchmark(name.c_str(), arguments...)->Unit(benchmark::kMillisecond);
            };
            add("recurrence along time", [=](auto& s) { recurrent_unit(s, k, learning, true, 0); });
            add("the same in windows", [=](auto& s) { recurrent_unit(s, k, learning, true, 36); });
            add("recurrence along bands", [=](auto& s) { recurrent_unit(s, k, learning, false, 0); });
            add("perceptron", [=](auto& s) { perceptron_unit(s, k, learning); });
        }
    }
}

}  // namespace
}  // namespace rivlen::units

int main(int argc, char** argv) {
    // As rivlen-learn does: memory is kept instead of given back, so that no pages are zeroed.
    mallopt(M_MMAP_THRESHOLD, 1 << 30);
    mallopt(M_TRIM_THRESHOLD, 1 << 30);
    rivlen::units::add_benches();
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    return 0;
}
