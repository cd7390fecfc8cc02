// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/learning/teacher.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numbers>

#include "core/base/thread_priority.h"
#include "core/dsp/active_power.h"
#include "core/dsp/decibels.h"
#include "engine/difference.h"
#include "engine/learning/lesson_clips.h"
#include "engine/learning/optimizer.h"
#include "engine/learning/replicas.h"

namespace rivlen {

namespace {

constexpr std::array<double, 5> kShares = {0.0, 0.25, 0.5, 0.75, 1.0};
constexpr std::size_t kClipsOfAStep = 2;
constexpr double kAbsentCost = 1.0;
constexpr double kQuietestDb = -80.0;
constexpr double kLearningShareOfTime = 0.93;  // the rest is measuring

Status check(const TeachingWish& wish) {
    if (wish.lessons.empty()) {
        return make_error(
            ErrorKind::BadInput,
            "There is nothing to teach. Mark some seconds in which one kind of sound is alone.");
    }
    for (const Lesson& lesson : wish.lessons) {
        if (lesson.stem == Stem::Reverb || lesson.sound.channels() != 2 ||
            lesson.sound.sample_rate() != kModelRate ||
            lesson.part.has_value() != wish.lessons.front().part.has_value()) {
            return make_error(ErrorKind::Internal, "A lesson has the wrong form. Please report this.");
        }
        if (static_cast<double>(lesson.sound.frames()) < kShortestLessonSeconds * kModelRate) {
            return make_error(
                ErrorKind::BadInput,
                "A marked stretch is shorter than {:.0f} seconds, which is too little to teach. "
                "Mark a longer one.",
                kShortestLessonSeconds);
        }
        if (active_power(std::span<const std::vector<float>>(lesson.sound), kModelRate) <
            power_of_db(kQuietestDb)) {
            return make_error(ErrorKind::BadInput,
                              "There is next to no sound in a marked stretch. Mark one in which something is "
                              "heard.");
        }
    }
    const auto fits = [](const OtherSound& other) {
        return std::ranges::all_of(other.stems, [&](const AudioBlock& stem) {
            return stem.channels() == 2 && stem.sample_rate() == kModelRate &&
                   stem.frames() == other.stems[0].frames() &&
                   static_cast<double>(stem.frames()) >= kTeachingClipSeconds * kModelRate;
        });
    };
    if (wish.others.size() < kFewestOthers || !std::ranges::all_of(wish.others, fits)) {
        return make_error(
            ErrorKind::NotFound,
            "The sound that lessons are mixed with is not there. Install Rivlen's models again.");
    }
    return {};
}

std::array<double, kStems> stem_means(SeparationNetwork& network, const std::vector<KnownMix>& mixes,
                                      bool of_parts, double& mean) {
    std::array<double, kStems> sums{};
    std::array<int, kStems> counts{};
    for (const auto& mix : mixes) {
        const auto masks = network->forward(mix.features.unsqueeze(0))[0].transpose(0, 1).contiguous();
        const auto db = si_sdr_db(mix, masks);
        for (std::size_t s = 0; s < kStems; ++s) {
            // A reverb stem's own figure says little: it is far below its voice.
            const bool reverb = !of_parts && s == static_cast<std::size_t>(Stem::Reverb);
            if (mix.energy[s] <= 0.0 || reverb) continue;
            sums[s] += db[s];
            ++counts[s];
        }
    }
    double sum = 0.0;
    int sounding = 0;
    for (std::size_t s = 0; s < kStems; ++s) {
        if (counts[s] == 0) continue;
        sums[s] /= counts[s];
        sum += sums[s];
        ++sounding;
    }
    mean = sounding > 0 ? sum / sounding : 0.0;
    return sums;
}

// Weights on the way from those before to those after.
SeparationNetwork on_the_way(const SeparationNetwork& before, const SeparationNetwork& after, double share) {
    SeparationNetwork out(before->spec());
    const torch::NoGradGuard no_grad;
    auto values = out->parameters();
    const auto from = before->parameters();
    const auto to = after->parameters();
    for (std::size_t i = 0; i < values.size(); ++i) values[i].copy_(from[i] + share * (to[i] - from[i]));
    out->eval();
    return out;
}

std::vector<TeachingTrial> try_shares(const SeparationNetwork& before, const SeparationNetwork& after,
                                      const LessonClips& clips, bool of_parts) {
    const torch::NoGradGuard no_grad;
    const auto with = clips.with_lessons();
    const auto without = clips.without_lessons();
    std::vector<TeachingTrial> trials;
    for (const double share : kShares) {
        auto network = on_the_way(before, after, share);
        TeachingTrial trial{.share = share};
        trial.lesson_gain_db = stem_means(network, with, of_parts, trial.lessons_gain_db);
        (void)stem_means(network, without, of_parts, trial.others_gain_db);
        trials.push_back(trial);
    }
    const TeachingTrial start = trials.front();
    for (auto& trial : trials) {
        for (std::size_t s = 0; s < kStems; ++s) trial.lesson_gain_db[s] -= start.lesson_gain_db[s];
        trial.lessons_gain_db -= start.lessons_gain_db;
        trial.others_gain_db -= start.others_gain_db;
    }
    return trials;
}

std::size_t best_of(const std::vector<TeachingTrial>& trials) {
    std::size_t best = 0;
    for (std::size_t i = 1; i < trials.size(); ++i) {
        const TeachingTrial& t = trials[i];
        if (t.lessons_gain_db < kLeastGainDb || t.others_gain_db < -kMostLossDb) continue;
        if (t.lessons_gain_db > trials[best].lessons_gain_db) best = i;
    }
    return best;
}

// Warms up, and falls along half a cosine.
double rate_at(const TeachingWish& wish, int step) {
    constexpr double kWarmSteps = 10.0;
    const double along = static_cast<double>(step) / wish.steps;
    return wish.rate * std::min(1.0, (step + 1) / kWarmSteps) *
           (0.02 + 0.49 * (1.0 + std::cos(std::numbers::pi * along)));
}

Status learn(SeparationNetwork& network, const LessonClips& clips, const TeachingWish& wish,
             const JobControl& job) {
    Optimizer optimizer(*network, {});
    const int workers = std::clamp(wish.workers, 1, static_cast<int>(kClipsOfAStep));
    Replicas replicas(network, workers);
    for (int step = 0; step < wish.steps; ++step) {
        if (job.cancelled()) return JobControl::cancelled_error();
        replicas.step([&](SeparationNetwork& replica, std::size_t worker) {
            give_way();
            std::vector<Example> examples;
            for (std::size_t i = worker; i < kClipsOfAStep; i += static_cast<std::size_t>(workers)) {
                Rng rng(wish.seed * 1000003 + static_cast<std::uint64_t>(step) * kClipsOfAStep + i);
                examples.push_back(clips.draw(rng));
            }
            const Batch batch = batch_of(examples, kClipsOfAStep, kAbsentCost);
            replica->zero_grad();
            const auto loss = replica->loss(batch.features, batch.targets);
            loss.backward();
            return loss.item<double>();
        });
        optimizer.step(rate_at(wish, step), workers);
        job.report(kLearningShareOfTime * (step + 1) / wish.steps);
    }
    return {};
}

}  // namespace

Result<TeachingReport> teach_network(const LoadedNetwork& model, const TeachingWish& wish,
                                     const JobControl& job) {
    if (auto status = check(wish); !status) return status.error();
    const auto start = std::chrono::steady_clock::now();
    at::set_num_threads(1);
    SeparationNetwork before = model.network;
    SeparationNetwork network(before->spec());
    if (auto status = copy_weights(before, network); !status) return status.error();
    const LessonClips clips(wish, before);
    if (auto status = learn(network, clips, wish, job); !status) return status.error();
    network->eval();
    TeachingReport report;
    report.trials = try_shares(before, network, clips, wish.lessons.front().part.has_value());
    report.taken = best_of(report.trials);
    if (job.cancelled()) return JobControl::cancelled_error();
    if (report.taken > 0) {
        const double share = report.trials[report.taken].share;
        auto taught = on_the_way(before, network, share);
        auto status =
            save_difference(wish.model, before, taught, wish.output,
                            {{"steps", std::to_string(wish.steps)}, {"share", fmt::format("{}", share)}});
        if (!status) return status.error();
    }
    job.report(1.0);
    report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return report;
}

}  // namespace rivlen
