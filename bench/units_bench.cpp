// SPDX-License-Identifier: GPL-3.0-or-later
// GFLOP/s of the network's units, each with the shapes of models/fine, for every instruction set that the
// machine has:
//   build/release/bench/rivlen-units-bench
// Operations count a product and a sum each; norms and gates are not counted.
#include <benchmark/benchmark.h>

#include <random>
#include <string>
#include <vector>

#include "engine/units/kernels.h"

namespace rivlen::units {
namespace {

using Values = std::vector<float>;

constexpr Size kSteps = 71, kPositions = 32, kClips = 8, kWidth = 96, kHidden = 64, kInner = 192;
constexpr Size kRows = kSteps * kPositions * kClips;

Values random_values(Size count, float size) {
    std::mt19937 generator(1);
    std::normal_distribution<float> normal(0.0F, size);
    Values out(static_cast<std::size_t>(count));
    for (float& v : out) v = normal(generator);
    return out;
}

// Weights of a unit, or what a backward pass adds up for them, in one place.
class Weights {
  public:
    float* take(Size count) { return parts_.emplace_back(random_values(count, 0.1F)).data(); }

  private:
    std::vector<Values> parts_;
};

template <typename Float>
Recurrent<Float> recurrent_weights(Weights& weights) {
    Recurrent<Float> unit;
    unit.width = kWidth;
    unit.hidden = kHidden;
    unit.norm = {weights.take(kWidth), weights.take(kWidth)};
    for (auto& gru : unit.gru) {
        gru = {weights.take(3 * kHidden * kWidth), weights.take(3 * kHidden * kHidden),
               weights.take(3 * kHidden), weights.take(3 * kHidden)};
    }
    unit.out_weight = weights.take(kWidth * 2 * kHidden);
    unit.out_bias = weights.take(kWidth);
    return unit;
}

template <typename Float>
Perceptron<Float> perceptron_weights(Weights& weights) {
    return {kWidth,
            kInner,
            {weights.take(kWidth), weights.take(kWidth)},
            weights.take(kInner * kWidth),
            weights.take(kInner),
            weights.take(kWidth * kInner),
            weights.take(kWidth)};
}

// A backward pass is twice the work of a forward pass.
void count(benchmark::State& state, bool learning, double products) {
    state.counters["GFLOP/s"] =
        benchmark::Counter(2e-9 * static_cast<double>(kRows) * products * (learning ? 3.0 : 1.0),
                           benchmark::Counter::kIsIterationInvariantRate);
}

void recurrent_unit(benchmark::State& state, const Kernels& kernels, bool learning, bool along_steps,
                    const Reach& reach) {
    Weights weights;
    Weights sums;
    const auto unit = recurrent_weights<const float>(weights);
    const auto gradients = recurrent_weights<float>(sums);
    const Sequences sequences = along_steps
                                    ? Sequences{1, kSteps, kPositions * kClips, 0, kPositions * kClips}
                                    : Sequences{kSteps, kPositions, kClips, kPositions * kClips, kClips};
    const Values x = random_values(kRows * kWidth, 1.0F);
    const Values dout = random_values(kRows * kWidth, 1.0F);
    Values out(x.size());
    Values dx(x.size());
    std::vector<char> saved;
    Values states;
    if (learning) {
        saved.resize(static_cast<std::size_t>(saved_values(sequences, reach, kHidden) * kernels.saved_bytes));
        states.resize(static_cast<std::size_t>(state_floats(sequences, reach, kHidden)));
    }
    const RecurrentMemory memory{saved.data(), states.data()};
    for (auto _ : state) {
        kernels.recurrent(sequences, reach, {}, unit, x.data(), out.data(), learning ? &memory : nullptr);
        if (learning)
            kernels.recurrent_gradients(sequences, reach, unit, x.data(), memory, dout.data(), dx.data(),
                                        gradients);
        benchmark::DoNotOptimize(out.data());
        benchmark::DoNotOptimize(dx.data());
    }
    // A state that warms up beside the other.
    const double overlap = static_cast<double>(reach.overlap > 0 ? reach.overlap : reach.window);
    const double hidden_products = reach.window > 0 ? 1.0 + overlap / static_cast<double>(reach.window) : 1.0;
    count(state, learning,
          2.0 * (3.0 * kHidden * kWidth + hidden_products * 3.0 * kHidden * kHidden + kHidden * kWidth));
}

void perceptron_unit(benchmark::State& state, const Kernels& kernels, bool learning) {
    Weights weights;
    Weights sums;
    const auto unit = perceptron_weights<const float>(weights);
    const auto gradients = perceptron_weights<float>(sums);
    const Values x = random_values(kRows * kWidth, 1.0F);
    const Values dout = random_values(kRows * kWidth, 1.0F);
    Values out(x.size());
    Values dx(x.size());
    Values hidden(learning ? static_cast<std::size_t>(kRows * kInner) : 0);
    for (auto _ : state) {
        kernels.perceptron(kRows, unit, x.data(), out.data(), learning ? hidden.data() : nullptr);
        if (learning)
            kernels.perceptron_gradients(kRows, unit, x.data(), hidden.data(), dout.data(), dx.data(),
                                         gradients);
        benchmark::DoNotOptimize(out.data());
        benchmark::DoNotOptimize(dx.data());
    }
    count(state, learning, 2.0 * kWidth * kInner);
}

void add_benches() {
    for (const Kernels* k : available_kernels()) {
        for (const bool learning : {false, true}) {
            const auto add = [&](const std::string& unit, auto run) {
                const std::string name =
                    std::string(k->name) + "/" + unit + (learning ? "/learning" : "/splitting");
                benchmark::RegisterBenchmark(name.c_str(), run)->Unit(benchmark::kMillisecond);
            };
            add("recurrence along time", [=](auto& s) { recurrent_unit(s, *k, learning, true, {}); });
            add("the same in windows", [=](auto& s) { recurrent_unit(s, *k, learning, true, {36, 0}); });
            add("with a short overlap", [=](auto& s) { recurrent_unit(s, *k, learning, true, {36, 9}); });
            add("recurrence along bands", [=](auto& s) { recurrent_unit(s, *k, learning, false, {}); });
            add("perceptron", [=](auto& s) { perceptron_unit(s, *k, learning); });
        }
    }
}

}  // namespace
}  // namespace rivlen::units

int main(int argc, char** argv) {
    rivlen::units::add_benches();
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
}
