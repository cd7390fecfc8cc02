// SPDX-License-Identifier: GPL-3.0-or-later
// Learning: the loss against its definition, the optimiser, resuming to the step, and the evaluation.
#include <gtest/gtest.h>
#include <torch/torch.h>

#include <cmath>

#include "core/dsp/decibels.h"
#include "core/dsp/stft.h"
#include "core/separation/bands.h"
#include "engine/learning/optimizer.h"
#include "engine/network.h"
#include "learn/evaluate.h"
#include "learn/spectra.h"
#include "learn/tensors.h"
#include "learn/train.h"
#include "tests/learn/made_corpus.h"

namespace rivlen::learn {
namespace {

NetworkSpec small_spec() {
    NetworkSpec spec;
    spec.width = 16;
    spec.hidden = 16;
    spec.blocks = 1;
    spec.head_hidden = 16;
    return spec;
}

Mix example_mix(const Corpus& corpus, std::uint64_t seed) {
    Rng rng(seed);
    Scene scene;
    scene.room = 1;
    scene.music = true;
    scene.ambiences = {"traffic"};
    return Mixer(corpus, Pool::Learn).make(scene, kCorpusRate / 2, rng);
}

// The loss as learn/tensors.h states it, bin by bin and without its short cut.
double loss_by_definition(const torch::Tensor& logits, const Mix& mix) {
    const auto masks = torch::softmax(logits, 0);
    const auto at = masks.accessor<float, 3>();
    Stft stft(kModelFft);
    double loss = 0.0;
    double total = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        const auto x = analyse(stft, mix.mix[c]);
        for (std::size_t i = 0; i < x.size(); ++i) total += static_cast<double>(std::abs(x[i]));
        for (std::size_t s = 0; s < kStems; ++s) {
            const auto y = analyse(stft, mix.stems[s][c]);
            for (std::size_t i = 0; i < x.size(); ++i) {
                const auto frame = static_cast<std::int64_t>(i / kModelBins);
                const int band = band_of_bin()[i % kModelBins];
                const std::complex<double> estimate =
                    static_cast<double>(at[static_cast<std::int64_t>(s)][frame][band]) *
                    std::complex<double>(x[i]);
                const std::complex<double> truth(y[i]);
                const auto compressed = [](std::complex<double> z) {
                    return std::abs(z) > 0.0 ? z / std::sqrt(std::abs(z)) : z;
                };
                const double magnitude = std::sqrt(std::abs(estimate)) - std::sqrt(std::abs(truth));
                loss += magnitude * magnitude + 0.5 * std::norm(compressed(estimate) - compressed(truth));
            }
        }
    }
    return loss / (total + 1e-3);
}

// The loss of one clip from its sums (tensors.h), by libtorch.
torch::Tensor loss_from(const torch::Tensor& logits, const LossSums& sums) {
    const auto log_masks = torch::log_softmax(logits, 1)[0];
    const auto fit = (log_masks.exp() * sums.mixture).sum() - ((0.5 * log_masks).exp() * sums.cross).sum();
    return (fit + sums.constant) * sums.scale;
}

TEST(Loss, EqualsItsDefinition) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    for (const std::uint64_t seed : {1, 2}) {
        Mix mix = example_mix(corpus, seed);
        mix.bandwidth_hz = 24000;
        torch::manual_seed(seed);
        const auto frames = static_cast<std::int64_t>(Stft::frame_count(mix.frames(), kModelHop));
        const auto logits = torch::randn({1, kStems, frames, kBands});
        const double ours = loss_from(logits, loss_sums(mix)).item<double>();
        EXPECT_NEAR(ours, loss_by_definition(logits[0], mix), 2e-4 * ours);
    }
}

// Bins above a reader's bandwidth say nothing about voices, so they must not move the masks.
TEST(Loss, LeavesOutWhatLiesAboveTheBandwidth) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    Mix mix = example_mix(corpus, 3);
    mix.bandwidth_hz = 6000;
    const auto frames = static_cast<std::int64_t>(Stft::frame_count(mix.frames(), kModelHop));
    auto logits = torch::zeros({1, kStems, frames, kBands}).requires_grad_();
    loss_from(logits, loss_sums(mix)).backward();
    const auto slope = logits.grad().abs().sum({0, 1, 2});
    for (int b = 0; b < kBands; ++b) {
        if (band_centre_hz(b) > 6500) {
            EXPECT_EQ(slope[b].item<float>(), 0.0F) << b;
        }
    }
    EXPECT_GT(slope[40].item<float>(), 0.0F);
}

TEST(Loss, IsLeastForTheTruth) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    const Mix mix = example_mix(corpus, 4);
    const auto oracle = torch::log(oracle_masks(mix) + 1e-6).unsqueeze(0);
    const LossSums sums = loss_sums(mix);
    const double at_oracle = loss_from(oracle, sums).item<double>();
    EXPECT_LT(at_oracle, 0.6 * loss_from(torch::zeros_like(oracle), sums).item<double>());
    EXPECT_LT(at_oracle, loss_from(oracle.roll(1, 1), sums).item<double>());
}

// Mixes put together from spectra are those put together from samples: the same gains, features and sums, for
// scenes of every kind that allow it.
TEST(ExampleFromSpectra, EqualsTheMixedOne) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    const Mixer mixer(corpus, Pool::Learn);
    Rng rng(8);
    std::array<Parts, 3> parts;
    std::array<PartsSpectra, 3> spectra;
    for (std::size_t i = 0; i < parts.size(); ++i) {
        parts[i] = mixer.make_parts(Mixer::random_parts(rng), kCorpusRate, rng);
        spectra[i] = spectra_of(parts[i]);
    }
    int compared = 0;
    for (std::uint64_t seed = 1; compared < 12; ++seed) {
        Rng draws(seed);
        Scene scene = Mixer::random_scene(draws);
        if (!scene.linear()) continue;
        ++compared;
        Rng first(seed);
        Rng second(seed);
        const Mix mix = Mixer::combine(scene, parts[0], parts[1], parts[2], first);
        const Example ours = example_of(scene, spectra[0], spectra[1], spectra[2], second);
        const LossSums sums = loss_sums(mix);
        // A ducked gain holds for a frame here, and moves within it there.
        const double tolerance = scene.ducked ? 0.05 : 2e-4;
        // Where a side is next to nothing, its compressed power is rounding; the middle is not.
        const auto apart = (ours.features - features_of(mix.mix)).abs();
        EXPECT_LT(apart.mean().item<double>(), 0.02) << seed;
        EXPECT_LT(apart.select(1, 0).max().item<double>(), scene.ducked ? 1.0 : 0.1) << seed;
        // Of two equal channels the mixed one counts one only; the scale makes that good.
        const double scale = ours.sums.scale / sums.scale;
        EXPECT_TRUE(std::abs(scale - 1.0) < tolerance || std::abs(scale - 0.5) < tolerance) << scale;
        EXPECT_NEAR(ours.sums.constant * scale, sums.constant, tolerance * sums.constant + 1e-6) << seed;
        const double largest = sums.mixture.abs().max().item<double>() + 1e-6;
        EXPECT_LT((ours.sums.mixture * scale - sums.mixture).abs().max().item<double>(),
                  2.0 * tolerance * largest)
            << seed;
        EXPECT_LT((ours.sums.cross * scale - sums.cross).abs().max().item<double>(),
                  10.0 * tolerance * largest)
            << seed;
        EXPECT_EQ(ours.sums.absent, sums.absent) << seed;
    }
}

// What goes to a stem that is absent costs more, and only that.
TEST(Loss, AbsentStemsCostMore) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    Mix mix = example_mix(corpus, 6);
    for (auto& channel : mix.stems[2]) std::ranges::fill(channel, 0.0F);
    const LossSums sums = loss_sums(mix);
    EXPECT_EQ(sums.absent, (std::array{false, energy_of(mix.stems[1][0]) == 0.0, true, false}));
    const Batch batch = batch_of({{features_of(mix.mix), sums}}, 4, 2.5);
    EXPECT_EQ(batch.targets.absent[0][2].item<float>(), 2.5F);
    EXPECT_EQ(batch.targets.absent[0][0].item<float>(), 0.0F);
    EXPECT_NEAR(batch.targets.weights[0].item<double>(), sums.scale / 4.0, 1e-9);
}

// The loss of masks [1, 4, frames, 256] by what a batch of one clip holds.
double loss_from(const torch::Tensor& masks, const Batch& batch) {
    const auto& targets = batch.targets;
    const auto fit = (masks * targets.mixture.unsqueeze(1) - masks.sqrt() * targets.cross).sum();
    return fit.item<double>() * targets.weights[0].item<double>() + batch.constant;
}

// With another model's masks in place of the truth the loss is their distance; of an absent stem, which
// nothing may go to, it stays as it was. A share of it is that share.
TEST(Loss, OfMasksThatAreFollowedIsTheDistanceFromThem) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    Mix mix = example_mix(corpus, 7);
    for (auto& channel : mix.stems[2]) std::ranges::fill(channel, 0.0F);
    const Batch truth = batch_of({{features_of(mix.mix), loss_sums(mix)}}, 1, 0.0);
    const auto frames = truth.features.size(1);
    torch::manual_seed(3);
    const auto followed = torch::softmax(2.0 * torch::randn({1, frames, kStems, kBands}), 2);
    const auto masks = torch::softmax(2.0 * torch::randn({1, kStems, frames, kBands}), 1);

    auto expected = (masks.sqrt() - followed.transpose(1, 2).sqrt()).square();
    expected.select(1, 2).copy_(masks.select(1, 2));
    const double distance = (expected * truth.targets.mixture.unsqueeze(1)).sum().item<double>() *
                            truth.targets.weights[0].item<double>();
    Batch all = truth;
    follow_masks(all, followed, 1.0);
    EXPECT_NEAR(loss_from(masks, all), distance, 1e-3 * distance);
    EXPECT_EQ(all.targets.cross.select(1, 2).abs().max().item<float>(), 0.0F);

    Batch some = truth;
    follow_masks(some, followed, 0.3);
    const double expected_some = 0.7 * loss_from(masks, truth) + 0.3 * distance;
    EXPECT_NEAR(loss_from(masks, some), expected_some, 1e-3 * expected_some);
}

TEST(FeaturesOfAMix, LieAroundOneAtAnyLevel) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    Mix mix = example_mix(corpus, 5);
    const auto features = features_of(mix.mix);
    EXPECT_NEAR(features.mean().item<double>(), 1.0, 0.15);
    for (auto& channel : mix.mix) {
        for (float& x : channel) x *= 0.01F;
    }
    EXPECT_LT((features_of(mix.mix) - features).abs().max().item<double>(), 0.05);
}

// A line fitted to made-up points: both optimisers get there, with one thread or two alike.
double loss_after(bool muon, int workers, int steps) {
    torch::manual_seed(5);
    torch::nn::Sequential network(torch::nn::Linear(16, 32), torch::nn::ReLU(), torch::nn::Linear(32, 3));
    OptimizerOptions options;
    options.muon = muon;
    Optimizer optimizer(*network, options);
    const auto x = torch::randn({64, 16});
    const auto y =
        torch::stack({x.select(1, 0), x.select(1, 1) * x.select(1, 2), x.narrow(1, 0, 6).sum(1)}, 1);
    double last = 0.0;
    for (int i = 0; i < steps; ++i) {
        network->zero_grad();
        const auto loss = (network->forward(x) - y).square().mean();
        loss.backward();
        optimizer.step(0.02, workers);
        last = loss.item<double>();
    }
    return last;
}

TEST(OptimizerSteps, GoDownhillAndDoNotDependOnThreads) {
    for (const bool muon : {false, true}) {
        const double start = loss_after(muon, 1, 1);
        EXPECT_LT(loss_after(muon, 1, 150), 0.3 * start) << muon;
        EXPECT_EQ(loss_after(muon, 1, 20), loss_after(muon, 2, 20)) << muon;
    }
}

TrainOptions training(const test::Scratch& scratch, const std::string& run) {
    TrainOptions options;
    options.corpus = scratch / "corpus";
    options.run = scratch / run;
    options.spec = small_spec();
    options.clips = 2;
    options.clip_seconds = 0.5;
    options.steps = 4;
    options.warmup_steps = 1;
    options.evaluate_per_kind = 0;
    options.workers = 2;
    options.stock = {.uses = 2, .parts = 3};
    options.log = [](const std::string&) {};
    return options;
}

// Stopped after every step and taken up again, a run ends with the same weights as one that was never
// stopped.
TEST(Training, GoesOnToTheStep) {
    const test::Scratch scratch;
    (void)test::made_corpus(scratch);
    ASSERT_TRUE(train(training(scratch, "whole")).ok());
    auto pieces = training(scratch, "pieces");
    pieces.max_core_hours = 0.0;  // one step at a time
    for (int i = 0; i < 4; ++i) ASSERT_TRUE(train(pieces).ok());
    auto whole = load_network(scratch / "whole/model.safetensors");
    auto joined = load_network(scratch / "pieces/model.safetensors");
    ASSERT_TRUE(whole.ok() && joined.ok());
    for (const auto& item : whole->network->named_parameters())
        EXPECT_TRUE(torch::equal(item.value(), joined->network->named_parameters()[item.key()]))
            << item.key();
    EXPECT_NE(whole->metadata.at("training").find("\"steps\":4"), std::string::npos);
    EXPECT_FALSE(whole->golden.empty());
}

TEST(Training, StartsFromOtherWeightsOrSaysWhyNot) {
    const test::Scratch scratch;
    (void)test::made_corpus(scratch);
    ASSERT_TRUE(train(training(scratch, "first")).ok());
    auto larger = training(scratch, "second");
    larger.spec.blocks = 2;
    larger.start_from = scratch / "first/model.safetensors";
    EXPECT_TRUE(train(larger).ok());
    auto wider = training(scratch, "third");
    wider.spec.width = 48;
    wider.start_from = scratch / "first/model.safetensors";
    EXPECT_EQ(train(wider).error().kind, ErrorKind::Mismatch);
    auto nowhere = training(scratch, "fourth");
    nowhere.corpus = scratch / "nowhere";
    EXPECT_EQ(train(nowhere).error().kind, ErrorKind::NotFound);
}

// A model that follows another comes nearer to its masks than one that does not.
TEST(Training, FollowsTheMasksOfAnotherModel) {
    const test::Scratch scratch;
    (void)test::made_corpus(scratch);
    auto first = training(scratch, "first");
    first.spec.blocks = 2;
    first.seed = 9;
    ASSERT_TRUE(train(first).ok());
    const auto distance_of = [&](const std::string& run, bool follows) {
        auto options = training(scratch, run);
        options.steps = 40;
        options.decay_steps = 1;
        options.learning_rate = 1e-2;
        options.average = 0.5;
        if (follows) options.follow = scratch / "first/model.safetensors";
        options.follow_share = 1.0;
        EXPECT_TRUE(train(options).ok());
        auto followed = load_network(scratch / "first/model.safetensors");
        auto other = load_network(scratch / run / "model.safetensors");
        torch::manual_seed(4);
        const auto features = 1.0 + 0.3 * torch::randn({1, 40, first.spec.feature_channels, kBands});
        return (followed->network->forward(features) - other->network->forward(features))
            .abs()
            .mean()
            .item<double>();
    };
    const double alone = distance_of("alone", false);
    EXPECT_LT(distance_of("following", true), 0.8 * alone);
    auto nowhere = training(scratch, "nowhere");
    nowhere.follow = scratch / "nowhere.safetensors";
    EXPECT_EQ(train(nowhere).error().kind, ErrorKind::NotFound);
}

TEST(Evaluation, TheOracleGainsAndTheTablesListEveryKind) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    const auto set = make_eval_set(corpus, 1, 1.5);
    ASSERT_EQ(set.mixes.size(), Mixer::kinds().size());
    std::vector<Figures> oracle;
    std::vector<Figures> none;
    for (const auto& mix : set.mixes) {
        oracle.push_back(figures_of(mix, apply_masks(oracle_masks(mix), mix)));
        const auto even = torch::full_like(oracle_masks(mix), 1.0 / kStems);
        none.push_back(figures_of(mix, apply_masks(even, mix)));
    }
    for (const double gain : mean_gains(oracle)) EXPECT_GT(gain, 3.0);
    for (std::size_t i = 0; i < 3; ++i)
        EXPECT_NEAR(mean_gains(none)[i], 0.0, 0.1);  // SI-SDR does not see a gain
    const std::string table = gain_table(oracle);
    EXPECT_NE(table.find("| voice over music |"), std::string::npos);
    EXPECT_NE(summary_json(oracle).find("voice in a crowd"), std::string::npos);
    // The same corpus gives the same set.
    EXPECT_EQ(make_eval_set(corpus, 1, 1.5).mixes[3].mix, set.mixes[3].mix);
}

TEST(Evaluation, FiguresOfTheVoiceBesideOthers) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    Rng rng(2);
    const Mix mix =
        Mixer(corpus, Pool::Choose).make(Mixer::scene_of_kind("voice in traffic", rng), kCorpusRate * 2, rng);
    const auto estimates = apply_masks(oracle_masks(mix), mix);
    Figures figures = figures_of(mix, estimates);
    ASSERT_TRUE(add_voice_figures(mix, estimates, figures).ok());
    EXPECT_GT(figures.voice.at("sir"), figures.voice.at("mix sir") + 3.0);
    EXPECT_GT(figures.voice.at("estoi"), figures.voice.at("mix estoi"));
    EXPECT_NEAR(figures.voice.at("oracle gain"), figures.gain_db.at("dialogue"), 1e-6);
    EXPECT_LT(figures.voice.at("denoiser gain"), figures.voice.at("oracle gain"));
    EXPECT_GT(figures.voice.at("denoiser gain"), -15.0);  // aligned: an unaligned one would lie far below
    EXPECT_NE(voice_table({figures}).find("voice in traffic"), std::string::npos);
}

}  // namespace
}  // namespace rivlen::learn
