#include "learn/train.h"

#include <ATen/Parallel.h>
#include <torch/torch.h>

#include <chrono>
#include <cmath>
#include <deque>
#include <fstream>
#include <limits>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/output_file.h"
#include "engine/network.h"
#include "learn/evaluate.h"
#include "learn/mixer.h"
#include "learn/tensors.h"

namespace rivlen::learn {

namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

std::uint64_t clip_seed(std::uint64_t run_seed, std::int64_t step, int clip) {
    Rng rng(run_seed * 0x100000001B3ULL + static_cast<std::uint64_t>(step) * 4096 +
            static_cast<std::uint64_t>(clip));
    return rng.bits();
}

// A worker's stock of parts: with every step some are made anew and take the place of the oldest, and mixes
// are put together from all that are there. What it holds depends on the step alone, so that a run can go on
// anywhere.
class Stock {
  public:
    Stock(const Mixer& mixer, const TrainOptions& options, std::size_t worker)
        : mixer_(&mixer), options_(&options), worker_(worker) {}

    void follow(std::int64_t step, int clips) {
        const auto fresh = static_cast<std::int64_t>((clips + kUses - 1) / kUses);
        for (std::int64_t at = std::max(made_until_, step - kSteps + 1); at <= step; ++at) {
            for (std::int64_t i = 0; i < fresh; ++i) {
                Rng rng(clip_seed(options_->seed + 7777 + worker_, at, static_cast<int>(i)));
                Scene scene = Mixer::random_scene(rng);
                while (scene.ambiences.empty() || scene.voices == 0) scene = Mixer::random_scene(rng);
                scene.music = true;
                const auto frames = static_cast<std::size_t>(options_->clip_seconds * kCorpusRate);
                parts_.push_back(mixer_->make_parts(scene, frames, rng));
            }
        }
        made_until_ = step + 1;
        while (parts_.size() > static_cast<std::size_t>(kSteps * fresh)) parts_.pop_front();
    }
    [[nodiscard]] Mix draw(Rng& rng) const {
        const Scene scene = Mixer::random_scene(rng);
        const auto any = [&]() -> const Parts& { return parts_[rng.below(parts_.size())]; };
        const Parts& voice = any();
        const Parts& music = any();
        return Mixer::combine(scene, voice, music, any(), rng);
    }

  private:
    static constexpr int kUses = 4;             // of every part, on average
    static constexpr std::int64_t kSteps = 16;  // that a part stays
    const Mixer* mixer_;
    const TrainOptions* options_;
    std::size_t worker_;
    std::int64_t made_until_ = std::numeric_limits<std::int64_t>::min();
    std::deque<Parts> parts_;
};

// One worker's share of a step: mixes, forward, backward. Gradients stay in the worker's own copy of the
// network.
double work(SeparationNetwork& network, Stock& stock, const TrainOptions& options, std::int64_t step,
            int first, int count) {
    at::set_num_threads(1);  // per thread: OpenMP keeps this setting for each thread apart
    std::vector<torch::Tensor> features;
    std::vector<LossSums> sums;
    stock.follow(step, count);
    for (int i = 0; i < count; ++i) {
        Rng rng(clip_seed(options.seed, step, first + i));
        const Mix mix = stock.draw(rng);
        features.push_back(features_of(mix.mix));
        sums.push_back(loss_sums(mix));
    }
    network->zero_grad();
    const auto logits = network->forward(torch::stack(features));
    const auto loss = batch_loss(logits, sums) * (static_cast<double>(count) / options.clips);
    loss.backward();
    return loss.item<double>();
}

double rate_factor(const TrainOptions& options, std::int64_t step) {
    if (step < options.warmup_steps) return static_cast<double>(step + 1) / options.warmup_steps;
    const double along = static_cast<double>(step - options.warmup_steps) /
                         static_cast<double>(std::max<std::int64_t>(1, options.steps - options.warmup_steps));
    return 0.02 + 0.98 * 0.5 * (1.0 + std::cos(3.14159265358979 * std::min(along, 1.0)));
}

struct Progress {
    std::int64_t step = 0;
    double hours = 0;  // spent learning, over all sessions
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
    return {step.item<std::int64_t>(), hours.item<double>()};
}

}  // namespace

Status train(const TrainOptions& options) {
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    fs::create_directories(options.run);
    at::set_num_threads(1);
    torch::manual_seed(options.seed);
    const Mixer mixer(*corpus, false);
    const EvalSet eval_set = make_eval_set(*corpus, options.evaluate_per_kind, 6.0);

    SeparationNetwork network(options.spec);
    SeparationNetwork average(options.spec);
    if (!options.start_from.empty()) {
        auto loaded = load_network(options.start_from);
        if (!loaded) return loaded.error();
        if (auto status = copy_weights(loaded->network, network); !status) return status;
    }
    if (auto status = copy_weights(network, average); !status) return status;
    std::vector<SeparationNetwork> replicas;
    std::vector<Stock> stocks;
    for (int w = 0; w < options.workers; ++w) {
        replicas.emplace_back(options.spec);
        stocks.emplace_back(mixer, options, static_cast<std::size_t>(w));
    }
    Optimizer optimizer(*network, options.optimizer);

    Progress progress;
    if (fs::exists(options.run / "checkpoint.pt"))
        progress = load_checkpoint(options.run, network, average, optimizer);
    const bool fresh_log = !fs::exists(options.run / "log.csv");
    std::ofstream log(options.run / "log.csv", std::ios::app);
    if (fresh_log)
        log << "step,hours,mix_hours,loss,learning_rate,dialogue_db,music_db,ambience_db,dry_voice_db\n";

    const auto session_start = Clock::now();
    const double hours_before = progress.hours;
    double smooth_loss = 0.0;
    while (progress.step < options.steps) {
        std::vector<double> losses(replicas.size());
        {
            std::vector<std::jthread> threads;
            int first = 0;
            for (std::size_t w = 0; w < replicas.size(); ++w) {
                const int left = options.clips - first;
                const int share = (left + static_cast<int>(replicas.size() - w) - 1) /
                                  static_cast<int>(replicas.size() - w);
                if (auto status = copy_weights(network, replicas[w]); !status) return status;
                threads.emplace_back([&, w, first, share] {
                    losses[w] = work(replicas[w], stocks[w], options, progress.step, first, share);
                });
                first += share;
            }
        }
        {
            const torch::NoGradGuard no_grad;
            auto parameters = network->parameters();
            for (std::size_t i = 0; i < parameters.size(); ++i) {
                auto sum = replicas[0]->parameters()[i].grad().clone();
                for (std::size_t w = 1; w < replicas.size(); ++w) sum += replicas[w]->parameters()[i].grad();
                parameters[i].mutable_grad() = sum;
            }
        }
        const double rate = options.learning_rate * rate_factor(options, progress.step);
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
        double loss = 0.0;
        for (const double l : losses) loss += l;
        smooth_loss = smooth_loss == 0.0 ? loss : 0.98 * smooth_loss + 0.02 * loss;
        ++progress.step;
        progress.hours = hours_before + seconds_since(session_start) / 3600.0;
        const double mix_hours =
            static_cast<double>(progress.step) * options.clips * options.clip_seconds / 3600.0;

        const bool last =
            progress.step == options.steps || seconds_since(session_start) / 3600.0 > options.max_hours;
        const bool evaluated = last || progress.step % options.evaluate_every == 0;
        if (evaluated) {
            average->eval();
            std::vector<Figures> figures;
            for (const auto& mix : eval_set.mixes)
                figures.push_back(figures_of(mix, apply_masks(network_masks(average, mix), mix)));
            const auto gains = mean_gains(figures);
            log << fmt::format("{},{:.4f},{:.3f},{:.5f},{:.6f},{:.2f},{:.2f},{:.2f},{:.2f}\n", progress.step,
                               progress.hours, mix_hours, smooth_loss, rate, gains[0], gains[1], gains[2],
                               gains[3]);
            options.log(fmt::format(
                "step {} {:.2f} h loss {:.4f}: dialogue {:.2f} music {:.2f} ambience {:.2f} dry {:.2f} dB",
                progress.step, progress.hours, smooth_loss, gains[0], gains[1], gains[2], gains[3]));
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
                                           {"hours", progress.hours},
                                           {"mix_hours", mix_hours},
                                           {"clips", options.clips},
                                           {"clip_seconds", options.clip_seconds},
                                           {"learning_rate", options.learning_rate},
                                           {"start_from", options.start_from.filename().string()},
                                           {"seed", options.seed},
                                           {"loss", smooth_loss},
                                           {"optimizer", options.optimizer.muon ? "muon" : "adamw"},
                                           {"workers", options.workers}};
            auto status =
                save_network(average, options.run / "model.safetensors", {{"training", record.dump()}});
            if (!status) return status;
        }
        if (last) break;
    }
    return {};
}

}  // namespace rivlen::learn
