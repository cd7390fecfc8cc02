// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/train.h"

#include <ATen/Parallel.h>
#include <torch/torch.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <ctime>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>
#include <numeric>

#include "core/base/output_file.h"
#include "engine/learning/replicas.h"
#include "engine/network.h"
#include "learn/evaluate.h"
#include "learn/mixer.h"
#include "learn/song_lessons.h"
#include "learn/stock.h"
#include "learn/tensors.h"
#include "learn/world/codecs.h"

namespace rivlen::learn {

namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

// Processor time of this thread: what other work takes away does not count.
double thread_seconds() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

// What a step consists of, and the processor time that each stage took.
constexpr std::array<const char*, 6> kStages = {"parts",   "mixing",   "masks to follow",
                                                "forward", "backward", "optimiser"};
constexpr std::size_t kOptimiserStage = kStages.size() - 1;
class StageTimes {
  public:
    void lap(std::size_t stage) {
        const double now = thread_seconds();
        seconds_[stage] += now - mark_;
        mark_ = now;
    }
    void begin() { mark_ = thread_seconds(); }
    void add(const StageTimes& other) {
        for (std::size_t i = 0; i < seconds_.size(); ++i) seconds_[i] += other.seconds_[i];
    }
    [[nodiscard]] double sum() const { return std::accumulate(seconds_.begin(), seconds_.end(), 0.0); }
    [[nodiscard]] std::string shares() const {
        std::string text;
        for (std::size_t i = 0; i < kStages.size(); ++i)
            text += fmt::format("{}{} {:.0f} %", i == 0 ? "" : ", ", kStages[i],
                                100.0 * seconds_[i] / (sum() + 1e-9));
        return text;
    }

  private:
    std::array<double, kStages.size()> seconds_{};
    double mark_ = 0.0;
};

// One worker's share of a step: mixes, forward, backward. Gradients stay in the worker's own copy of the
// network.
double work(SeparationNetwork& network, ExampleStock& stock, SeparationNetwork& followed,
            const TrainOptions& options, std::int64_t step, int first, int count, StageTimes& times) {
    times.begin();
    stock.follow(step, count);
    times.lap(0);
    std::vector<Example> examples;
    for (int i = 0; i < count; ++i) {
        Rng rng(seed_of(options.seed, step, first + i));
        examples.push_back(stock.draw(rng));
    }
    Batch batch = batch_of(examples, static_cast<std::size_t>(options.clips), options.absent_cost);
    times.lap(1);
    if (followed) follow_masks(batch, followed->forward(batch.features), options.follow_share);
    times.lap(2);
    network->zero_grad();
    const auto loss = network->loss(batch.features, batch.targets);
    times.lap(3);
    loss.backward();
    times.lap(4);
    return loss.item<double>() + batch.constant;
}

struct ClipShare {
    int first = 0, count = 0;
};
// The clips of a step that a worker takes: as even as can be, the larger shares first.
ClipShare share_of(int clips, int workers, int worker) {
    const int even = clips / workers;
    const int more = clips % workers;
    return {worker * even + std::min(worker, more), even + (worker < more ? 1 : 0)};
}

// Warms up, stays, and falls to nothing in a straight line over the last `decay_steps`.
double rate_factor(const TrainOptions& options, std::int64_t step) {
    const double warm = static_cast<double>(step + 1) / std::max(1, options.warmup_steps);
    const double left = static_cast<double>(options.steps - step) /
                        static_cast<double>(std::max<std::int64_t>(1, options.decay_steps));
    return std::min({1.0, warm, std::max(left, 0.02)});
}

struct Progress {
    std::int64_t step = 0;
    double hours = 0;      // of processors spent learning, over all sessions
    double mix_hours = 0;  // of mixes learned from
};

void save_checkpoint(const fs::path& run, SeparationNetwork& network, SeparationNetwork& average,
                     Optimizer& optimizer, const Progress& progress) {
    torch::serialize::OutputArchive archive;
    torch::serialize::OutputArchive a;
    torch::serialize::OutputArchive b;
    torch::serialize::OutputArchive c;
    network->save(a);
    average->save(b);
    optimizer.save(c);
    archive.write("network", a);
    archive.write("average", b);
    archive.write("optimizer", c);
    archive.write("step", torch::tensor(progress.step, torch::kInt64));
    archive.write("hours", torch::tensor(progress.hours, torch::kFloat64));
    archive.write("mix_hours", torch::tensor(progress.mix_hours, torch::kFloat64));
    const fs::path partial = partial_path(run / "checkpoint.pt");
    archive.save_to(partial.string());
    fs::rename(partial, run / "checkpoint.pt");
}

Progress load_checkpoint(const fs::path& run, SeparationNetwork& network, SeparationNetwork& average,
                         Optimizer& optimizer) {
    torch::serialize::InputArchive archive;
    archive.load_from((run / "checkpoint.pt").string());
    torch::serialize::InputArchive a;
    torch::serialize::InputArchive b;
    torch::serialize::InputArchive c;
    archive.read("network", a);
    archive.read("average", b);
    archive.read("optimizer", c);
    network->load(a);
    average->load(b);
    optimizer.load(c);
    torch::Tensor step;
    torch::Tensor hours;
    archive.read("step", step);
    archive.read("hours", hours);
    torch::Tensor mix_hours =
        torch::zeros({}, torch::kFloat64);  // runs from before 2026-11-26 09:00 do not have it
    archive.try_read("mix_hours", mix_hours);
    return {step.item<std::int64_t>(), hours.item<double>(), mix_hours.item<double>()};
}

// What a run learns, and what is measured of it on the way.
struct Lessons {
    std::array<const char*, kStems> stem_names = kStemNames;
    std::array<const char*, 4> columns = kGainColumns;
    EvalSet eval_set;
    std::unique_ptr<const Mixer> mixer;  // of the stocks
    std::unique_ptr<const Material> readers;
    std::vector<std::unique_ptr<ExampleStock>> stocks;  // by worker

    [[nodiscard]] std::string log_columns() const {
        std::string text;
        for (const std::string column : columns) text += (text.empty() ? "" : ",") + column + "_db";
        std::ranges::replace(text, ' ', '_');
        return text;
    }
    [[nodiscard]] std::string stems() const { return fmt::format("{}", fmt::join(stem_names, ", ")); }
};

StockOptions stock_of_worker(const TrainOptions& options, int worker) {
    StockOptions stock = options.stock;
    stock.seed = seed_of(options.seed, worker, -1);
    stock.clip_seconds = options.clip_seconds;
    return stock;
}

Result<Lessons> mix_lessons(const Corpus& corpus, const TrainOptions& options) {
    Lessons lessons;
    lessons.eval_set = make_eval_set(corpus, options.evaluate_per_kind, 6.0);
    lessons.mixer = std::make_unique<const Mixer>(corpus, Pool::Learn);
    for (int w = 0; w < options.workers; ++w)
        lessons.stocks.push_back(std::make_unique<Stock>(*lessons.mixer, stock_of_worker(options, w)));
    return lessons;
}

Result<Lessons> song_lessons(const Corpus& corpus, const TrainOptions& options) {
    Lessons lessons;
    lessons.stem_names = lessons.columns = kMusicPartNames;
    const Material others(corpus, Pool::Choose);
    auto choosing = song_maker(corpus, others, Pool::Choose);
    if (!choosing) return choosing.error();
    lessons.eval_set = make_song_set(*choosing, 10 * options.evaluate_per_kind, 8.0);
    lessons.readers = std::make_unique<const Material>(corpus, Pool::Learn);
    for (int w = 0; w < options.workers; ++w) {
        auto maker = song_maker(corpus, *lessons.readers, Pool::Learn);
        if (!maker) return maker.error();
        lessons.stocks.push_back(std::make_unique<SongStock>(std::move(*maker), stock_of_worker(options, w)));
    }
    return lessons;
}

}  // namespace

Status train(const TrainOptions& options) {
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    if (auto status = codecs_are_there(); !status) return status;
    fs::create_directories(options.run);
    at::set_num_threads(1);
    torch::manual_seed(options.seed);
    auto lessons = options.songs ? song_lessons(*corpus, options) : mix_lessons(*corpus, options);
    if (!lessons) return lessons.error();

    SeparationNetwork network(options.spec);
    SeparationNetwork average(options.spec);
    if (!options.start_from.empty()) {
        auto loaded = load_network(options.start_from);
        if (!loaded) return loaded.error();
        if (auto status = copy_weights(loaded->network, network); !status) return status;
    }
    if (auto status = copy_weights(network, average); !status) return status;
    SeparationNetwork followed(nullptr);
    if (!options.follow.empty()) {
        auto loaded = load_network(options.follow);
        if (!loaded) return loaded.error();
        followed = loaded->network;
    }
    Replicas replicas(network, options.workers);
    std::vector<StageTimes> times(replicas.size() + 1);  // the last is the optimiser's
    Optimizer optimizer(*network, options.optimizer);

    Progress progress;
    if (fs::exists(options.run / "checkpoint.pt"))
        progress = load_checkpoint(options.run, network, average, optimizer);
    const bool fresh_log = !fs::exists(options.run / "log.csv");
    std::ofstream log(options.run / "log.csv", std::ios::app);
    if (fresh_log)
        log << fmt::format("step,core_hours,mix_hours,loss,learning_rate,{}\n", lessons->log_columns());

    const auto session_start = Clock::now();
    const double hours_before = progress.hours;
    const std::int64_t first_step = progress.step;
    double smooth_loss = 0.0;
    while (progress.step < options.steps) {
        const double loss = replicas.step([&](SeparationNetwork& replica, std::size_t w) {
            const auto [first, count] = share_of(options.clips, options.workers, static_cast<int>(w));
            return work(replica, *lessons->stocks[w], followed, options, progress.step, first, count,
                        times[w]);
        });
        const double rate = options.learning_rate * rate_factor(options, progress.step);
        times.back().begin();
        optimizer.step(rate, options.workers);
        {
            const torch::NoGradGuard no_grad;
            // Early on, a long memory would keep the random start in the average.
            const double keep = std::min(options.average, (1.0 + static_cast<double>(progress.step)) /
                                                              (10.0 + static_cast<double>(progress.step)));
            auto averaged = average->parameters();
            const auto now = network->parameters();
            for (std::size_t i = 0; i < averaged.size(); ++i) averaged[i].mul_(keep).add_(now[i], 1.0 - keep);
        }
        times.back().lap(kOptimiserStage);
        smooth_loss = smooth_loss == 0.0 ? loss : 0.98 * smooth_loss + 0.02 * loss;
        ++progress.step;
        StageTimes all;
        for (const auto& t : times) all.add(t);
        progress.hours = hours_before + all.sum() / 3600.0;
        progress.mix_hours += options.clips * options.clip_seconds / 3600.0;
        const double mix_hours = progress.mix_hours;

        const bool last =
            progress.step == options.steps || progress.hours - hours_before > options.max_core_hours;
        const bool evaluated = last || progress.step % options.evaluate_every == 0;
        if (evaluated) {
            average->eval();
            std::vector<Figures> figures;
            for (const auto& mix : lessons->eval_set.mixes)
                figures.push_back(figures_of(mix, apply_masks(network_masks(average, mix), mix)));
            const auto gains = mean_gains(figures, lessons->columns);
            log << fmt::format("{},{:.4f},{:.3f},{:.5f},{:.6f},{:.2f},{:.2f},{:.2f},{:.2f}\n", progress.step,
                               progress.hours, mix_hours, smooth_loss, rate, gains[0], gains[1], gains[2],
                               gains[3]);
            std::string line = fmt::format("step {} {:.2f} core hours loss {:.4f}:", progress.step,
                                           progress.hours, smooth_loss);
            for (std::size_t i = 0; i < gains.size(); ++i)
                line += fmt::format(" {} {:.2f}", lessons->columns[i], gains[i]);
            options.log(line + " dB");
            const double mixed_s =
                static_cast<double>(progress.step - first_step) * options.clips * options.clip_seconds;
            options.log(fmt::format("{:.1f} s of mixes a second of a core ({:.1f} by the clock); {}",
                                    mixed_s / all.sum(), mixed_s / seconds_since(session_start),
                                    all.shares()));
            if (auto status = write_text_file(options.run / "validation.json", summary_json(figures));
                !status)
                return status;
        } else if (progress.step % 20 == 0) {
            log << fmt::format("{},{:.4f},{:.3f},{:.5f},{:.6f},,,,\n", progress.step, progress.hours,
                               mix_hours, smooth_loss, rate);
        }
        log.flush();
        if (last || progress.step % options.save_every == 0) {
            save_checkpoint(options.run, network, average, optimizer, progress);
            const nlohmann::json record = {{"steps", progress.step},
                                           {"core_hours", progress.hours},
                                           {"mix_hours", mix_hours},
                                           {"clips", options.clips},
                                           {"clip_seconds", options.clip_seconds},
                                           {"learning_rate", options.learning_rate},
                                           {"start_from", options.start_from.filename().string()},
                                           {"followed", options.follow.filename().string()},
                                           {"seed", options.seed},
                                           {"loss", smooth_loss},
                                           {"optimizer", options.optimizer.muon ? "muon" : "adamw"},
                                           {"workers", options.workers}};
            auto status = save_network(average, options.run / "model.safetensors",
                                       {{"training", record.dump()}, {"stems", lessons->stems()}});
            if (!status) return status;
        }
        if (last) break;
    }
    return {};
}

}  // namespace rivlen::learn
