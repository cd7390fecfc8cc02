// Training, data-parallel over threads of one process, resumable to the step.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>

#include "core/base/result.h"
#include "engine/network_spec.h"
#include "learn/corpus.h"
#include "learn/optimizer.h"

namespace rivlen::learn {

struct TrainOptions {
    std::filesystem::path corpus;
    std::filesystem::path run;  // folder of this run: checkpoint, weights, log.csv
    NetworkSpec spec;
    int workers = 1;  // threads, each with a share of the batch
    int clips = 6;    // a step, over all workers
    double clip_seconds = 3.0;
    std::int64_t steps = 2000;  // the learning rate has decayed to nothing by then
    double learning_rate = 2e-3;
    int warmup_steps = 100;
    OptimizerOptions optimizer;
    double average = 0.995;  // of the weights that are saved and evaluated
    int save_every = 100;
    int evaluate_every = 500;
    int evaluate_per_kind = 2;
    std::uint64_t seed = 1;
    double max_hours = 1e9;            // stops (with a checkpoint) after this time
    std::filesystem::path start_from;  // weights to begin with; empty: random
    std::function<void(const std::string&)> log;
};

// Continues from run/checkpoint.pt when it is there. Leaves run/model.safetensors (averaged weights).
[[nodiscard]] Status train(const TrainOptions& options);

}  // namespace rivlen::learn
