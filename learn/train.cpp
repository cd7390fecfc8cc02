// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/train.h"

#include <ATen/Parallel.h>
#include <torch/torch.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>
#include <numeric>

#include "core/base/output_file.h"
#include "engine/learning/replicas.h"
#include "engine/network.h"
#include "learn/evaluate.h"
#include "learn/mixer.h"
#include "learn/processor_time.h"
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
    // What another thread took.
    void add(std::size_t stage, double seconds) { seconds_[stage] += seconds; }
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
    times.add(0, stock.follow(step, count));
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

struct Networks {
    SeparationNetwork learning, average;
    SeparationNetwork followed{nullptr};  // null: none
};

Result<Networks> networks_of(const TrainOptions& options) {
    Networks networks{SeparationNetwork(options.spec), SeparationNetwork(options.spec)};
    if (!options.start_from.empty()) {
        auto loaded = load_network(options.start_from);
        if (!loaded) return loaded.error();
        if (auto status = copy_weights(loaded->network, networks.learning); !status) return status.error();
    }
    if (auto status = copy_weights(networks.learning, networks.average); !status) return status.error();
    if (!options.follow.empty()) {
        auto loaded = load_network(options.follow);
        if (!loaded) return loaded.error();
        networks.followed = loaded->network;
    }
    return networks;
}

// A run, from where it stands to its end.
class Run {
  public:
    Run(const TrainOptions& options, Lessons lessons, Networks networks)
        : options_(options),
          lessons_(std::move(lessons)),
          networks_(std::move(networks)),
          replicas_(networks_.learning, options.workers),
          times_(replicas_.size() + 1),
          optimizer_(*networks_.learning, options.optimizer) {
        if (fs::exists(options.run / "checkpoint.pt"))
            progress_ = load_checkpoint(options.run, networks_.learning, networks_.average, optimizer_);
        before_ = progress_;
        const bool fresh_log = !fs::exists(options.run / "log.csv");
        log_.open(options.run / "log.csv", std::ios::app);
        if (fresh_log)
            log_ << fmt::format("step,core_hours,mix_hours,loss,learning_rate,{}\n", lessons_.log_columns());
    }

    Status go_on() {
        while (progress_.step < options_.steps) {
            const double rate = learn();
            const bool last =
                progress_.step == options_.steps || progress_.hours - before_.hours > options_.max_core_hours;
            if (last || progress_.step % options_.evaluate_every == 0) {
                if (auto status = evaluate(rate); !status) return status;
            } else if (progress_.step % 20 == 0) {
                write_log(rate, ",,,");
            }
            if (last || progress_.step % options_.save_every == 0) {
                if (auto status = save(); !status) return status;
            }
            if (last) break;
        }
        return {};
    }

  private:
    // One step; returns its rate.
    double learn() {
        const double loss = replicas_.step([&](SeparationNetwork& replica, std::size_t w) {
            const auto [first, count] = share_of(options_.clips, options_.workers, static_cast<int>(w));
            return work(replica, *lessons_.stocks[w], networks_.followed, options_, progress_.step, first,
                        count, times_[w]);
        });
        const double rate = options_.learning_rate * rate_factor(options_, progress_.step);
        times_.back().begin();
        optimizer_.step(rate, options_.workers);
        average_in();
        times_.back().lap(kOptimiserStage);
        smooth_loss_ = smooth_loss_ == 0.0 ? loss : 0.98 * smooth_loss_ + 0.02 * loss;
        ++progress_.step;
        progress_.hours = before_.hours + time_so_far().sum() / 3600.0;
        progress_.mix_hours += options_.clips * options_.clip_seconds / 3600.0;
        return rate;
    }

    void average_in() {
        const torch::NoGradGuard no_grad;
        // Early on, a long memory would keep the random start in the average.
        const auto step = static_cast<double>(progress_.step);
        const double keep = std::min(options_.average, (1.0 + step) / (10.0 + step));
        auto averaged = networks_.average->parameters();
        const auto now = networks_.learning->parameters();
        for (std::size_t i = 0; i < averaged.size(); ++i) averaged[i].mul_(keep).add_(now[i], 1.0 - keep);
    }

    [[nodiscard]] StageTimes time_so_far() const {
        StageTimes all;
        for (const auto& t : times_) all.add(t);
        return all;
    }

    Status evaluate(double rate) {
        networks_.average->eval();
        std::vector<Figures> figures;
        for (const auto& mix : lessons_.eval_set.mixes)
            figures.push_back(figures_of(mix, apply_masks(network_masks(networks_.average, mix), mix)));
        const auto gains = mean_gains(figures, lessons_.columns);
        write_log(rate, fmt::format("{:.2f}", fmt::join(gains, ",")));
        std::string line = fmt::format("step {} {:.2f} core hours loss {:.4f}:", progress_.step,
                                       progress_.hours, smooth_loss_);
        for (std::size_t i = 0; i < gains.size(); ++i)
            line += fmt::format(" {} {:.2f}", lessons_.columns[i], gains[i]);
        options_.log(line + " dB");
        const StageTimes all = time_so_far();
        const double mixed_s =
            static_cast<double>(progress_.step - before_.step) * options_.clips * options_.clip_seconds;
        options_.log(fmt::format("{:.1f} s of mixes a second of a core ({:.1f} by the clock); {}",
                                 mixed_s / all.sum(), mixed_s / seconds_since(start_), all.shares()));
        return write_text_file(options_.run / "validation.json", summary_json(figures));
    }

    void write_log(double rate, const std::string& gains) {
        log_ << fmt::format("{},{:.4f},{:.3f},{:.5f},{:.6f},{}\n", progress_.step, progress_.hours,
                            progress_.mix_hours, smooth_loss_, rate, gains)
             << std::flush;
    }

    Status save() {
        save_checkpoint(options_.run, networks_.learning, networks_.average, optimizer_, progress_);
        const nlohmann::json record = {{"steps", progress_.step},
                                       {"core_hours", progress_.hours},
                                       {"mix_hours", progress_.mix_hours},
                                       {"clips", options_.clips},
                                       {"clip_seconds", options_.clip_seconds},
                                       {"learning_rate", options_.learning_rate},
                                       {"start_from", options_.start_from.filename().string()},
                                       {"followed", options_.follow.filename().string()},
                                       {"seed", options_.seed},
                                       {"loss", smooth_loss_},
                                       {"optimizer", options_.optimizer.muon ? "muon" : "adamw"},
                                       {"workers", options_.workers}};
        return save_network(networks_.average, options_.run / "model.safetensors",
                            {{"training", record.dump()}, {"stems", lessons_.stems()}});
    }

    const TrainOptions& options_;
    Lessons lessons_;
    Networks networks_;
    Replicas replicas_;
    std::vector<StageTimes> times_;  // by worker; the last is the optimiser's
    Optimizer optimizer_;
    Progress progress_, before_;  // now, and when it was taken up
    std::ofstream log_;
    Clock::time_point start_ = Clock::now();
    double smooth_loss_ = 0.0;
};

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
    auto networks = networks_of(options);
    if (!networks) return networks.error();
    return Run(options, std::move(*lessons), std::move(*networks)).go_on();
}

}  // namespace rivlen::learn
