// SPDX-License-Identifier: GPL-3.0-or-later
// Training, data-parallel over threads of one process, resumable to the step.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>

#include "core/base/result.h"
#include "engine/learning/optimizer.h"
#include "engine/network_spec.h"
#include "learn/corpus.h"
#include "learn/stock.h"

namespace rivlen::learn {

struct TrainOptions {
    std::filesystem::path corpus;
    std::filesystem::path run;  // folder of this run: checkpoint, weights, log.csv
    NetworkSpec spec;
    int workers = 1;  // threads, each with a share of the batch
    int clips = 2;    // a step, over all workers
    double clip_seconds = 3.0;
    bool songs = false;  // learns the parts of songs (MusicPart) instead of the stems of scenes
    StockOptions stock;  // of each worker; its seed and clips follow from those of the run
    std::int64_t steps = 2000;
    double learning_rate = 2e-3;
    int warmup_steps = 100;
    std::int64_t decay_steps = 500;  // the last ones, over which the rate falls to nothing
    double absent_cost = 1.0;        // what goes to an absent stem costs so much more (tensors.h)
    OptimizerOptions optimizer;
    double average = 0.995;  // of the weights that are saved and evaluated
    int save_every = 100;
    int evaluate_every = 500;
    int evaluate_per_kind = 2;
    std::uint64_t seed = 1;
    double max_core_hours = 1e9;  // stops (with a checkpoint) after so much more of its own processor time
    std::filesystem::path start_from;  // weights to begin with; empty: random
    std::filesystem::path follow;      // a larger model whose masks are learned from, too; empty: none
    double follow_share = 0.5;         // of the loss (follow_masks() in engine/learning/examples.h)
    std::function<void(const std::string&)> log;
};

// Continues from run/checkpoint.pt when it is there. Leaves run/model.safetensors (averaged weights).
[[nodiscard]] Status train(const TrainOptions& options);

}  // namespace rivlen::learn
