// Speed as multiples of real time ("x_real_time"). RIVLEN_ENGINE and RIVLEN_MODEL choose engine and model;
// run from the build tree both are found.
#include <benchmark/benchmark.h>

#include "core/shape/shaper.h"
#include "core/split/split.h"
#include "tests/fixtures.h"

namespace {

using namespace rivlen;

void real_time(benchmark::State& state, double seconds) {
    state.counters["x_real_time"] =
        benchmark::Counter(seconds * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}

// The whole split of a stereo recording, with one worker and with two.
void split_stereo(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 60.0);
    const auto separator = load_separator();
    if (!separator) return state.SkipWithError(separator.error().message.c_str());
    for (auto _ : state) {
        auto report =
            split(source, **separator, scratch / "x.map", {static_cast<int>(state.range(0)), 512, 128}, {});
        if (!report) return state.SkipWithError(report.error().message.c_str());
    }
    real_time(state, source.seconds());
}
BENCHMARK(split_stereo)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond)->Iterations(3);

// All four stems of a stereo recording together, on one core.
void shape_four_stems(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 20.0);
    const auto map = test::random_map(scratch, source);
    std::array<Recipe, kStems> recipes;
    for (std::size_t s = 0; s < kStems; ++s) recipes[s] = stem_recipe(StemSettings{}, s);
    for (auto _ : state) {
        benchmark::DoNotOptimize(render(source, map, recipes, 0, static_cast<std::int64_t>(source.frames()),
                                        {}, [](std::int64_t, auto) { return Status{}; })
                                     .ok());
    }
    real_time(state, source.seconds());
}
BENCHMARK(shape_four_stems)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
