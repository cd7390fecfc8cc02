// SPDX-License-Identifier: GPL-3.0-or-later
// Teaching a network one recording: the file of what was learned, the measure, and that it learns.
#include <gtest/gtest.h>
#include <torch/torch.h>

#include <numbers>

#include "core/base/output_file.h"
#include "core/base/rng.h"
#include "core/dsp/decibels.h"
#include "core/separation/other_sound.h"
#include "engine/difference.h"
#include "engine/golden.h"
#include "engine/learning/lesson_clips.h"
#include "engine/learning/teacher.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

NetworkSpec small_spec() {
    NetworkSpec spec;
    spec.feature_channels = 3;
    spec.width = 16;
    spec.hidden = 16;
    spec.blocks = 1;
    spec.head_hidden = 16;
    spec.memory_steps = 16;
    return spec;
}

// A network with random weights, as a model's file.
fs::path random_model(const test::Scratch& scratch, const std::string& name, std::uint64_t seed) {
    torch::manual_seed(seed);
    SeparationNetwork network(small_spec());
    fs::path path = scratch / (name + ".safetensors");
    EXPECT_TRUE(save_network(network, path, {}).ok());
    return path;
}

AudioBlock stereo(const std::vector<float>& mono, float right = 0.8F) {
    AudioBlock block(kModelRate, 2, mono.size());
    for (std::size_t i = 0; i < mono.size(); ++i) {
        block[0][i] = mono[i];
        block[1][i] = right * mono[i];
    }
    return block;
}

std::vector<float> tone(double hz, double seconds, float amplitude) {
    std::vector<float> x(static_cast<std::size_t>(seconds * kModelRate));
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] = amplitude *
               static_cast<float>(std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / kModelRate));
    return x;
}

// Noise whose level goes up and down, as a voice's does.
std::vector<float> gusts(double seconds, unsigned seed, double per_second) {
    auto x = test::noise(static_cast<std::size_t>(seconds * kModelRate), seed);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(i) / kModelRate;
        x[i] *= static_cast<float>(0.5 + 0.5 * std::sin(2 * std::numbers::pi * per_second * t));
    }
    return x;
}

TeachingWish wish_for(const test::Scratch& scratch, const fs::path& model) {
    TeachingWish wish;
    wish.model = model;
    wish.lessons = {{Stem::Ambience, stereo(tone(1000, 6, 0.1F))}};
    for (unsigned i = 0; i < 6; ++i) {
        OtherSound other;
        other.stems[0] = stereo(gusts(3.5, 10 + i, 3 + i % 3));
        other.stems[1] = AudioBlock(kModelRate, 2, other.stems[0].frames());
        other.stems[2] = stereo(tone(220.0 * (1 + i), 3.5, 0.1F), 0.5F);
        other.stems[3] = stereo(test::noise(other.stems[0].frames(), 30 + i));
        wish.others.push_back(std::move(other));
    }
    wish.steps = 6;
    wish.rate = 5e-3;
    wish.output = scratch / "taught.safetensors";
    return wish;
}

double largest_difference(const SeparationNetwork& a, const SeparationNetwork& b) {
    double largest = 0.0;
    const auto x = a->parameters();
    const auto y = b->parameters();
    for (std::size_t i = 0; i < x.size(); ++i)
        largest = std::max(largest, (x[i] - y[i]).abs().max().item<double>());
    return largest;
}

// A model, the same with some weights changed, and the file of what sets that apart.
struct ChangedModel {
    explicit ChangedModel(const test::Scratch& scratch)
        : base(random_model(scratch, "base", 1)),
          file(scratch / "taught.safetensors"),
          before(load_network(base).value()),
          changed(load_network(base).value()) {
        {
            const torch::NoGradGuard no_grad;
            // Of some of the logits only: masks do not see what is added to all of them.
            changed.network->named_parameters()["head2_bias"].narrow(2, 0, 40).add_(0.5);
        }
        EXPECT_TRUE(save_difference(base, before.network, changed.network, file, {{"share", "1"}}).ok());
    }
    fs::path base, file;
    LoadedNetwork before, changed;
};

TEST(Difference, KeepsWhatChangedAndFindsItsModel) {
    const test::Scratch scratch;
    const ChangedModel model(scratch);
    const auto stored = safetensors::File::open(model.file);
    ASSERT_TRUE(stored);
    EXPECT_EQ(stored->tensors().size(), 2U);  // what changed, and the golden masks
    const auto again = load_network(model.file);
    ASSERT_TRUE(again) << again.error().message;
    EXPECT_EQ(largest_difference(again->network, model.changed.network), 0.0);
    EXPECT_EQ(again->metadata.at("share"), "1");
    EXPECT_FALSE(again->golden.empty());
    EXPECT_TRUE(again->golden != model.before.golden);
}

TEST(Difference, SaysWhenItsModelIsAnotherOrIsMissing) {
    const test::Scratch scratch;
    const ChangedModel model(scratch);
    (void)random_model(scratch, "base", 2);
    auto other = load_network(model.file);
    ASSERT_FALSE(other);
    EXPECT_EQ(other.error().kind, ErrorKind::Mismatch);
    EXPECT_NE(other.error().message.find("another version"), std::string::npos) << other.error().message;
    fs::remove(model.base);
    other = load_network(model.file);
    ASSERT_FALSE(other);
    EXPECT_EQ(other.error().kind, ErrorKind::NotFound);
}

// The measure over bins of the spectrum against what its definition (Le Roux et al. 2019) gives where the
// estimate is the mix itself: the ratio of the stem's energy to that of all else, whatever the gain.
TEST(SiSdrOfMasks, IsTheRatioOfEnergiesForTheMixItself) {
    const test::Scratch scratch;
    const auto model = random_model(scratch, "base", 3);
    auto loaded = load_network(model);
    ASSERT_TRUE(loaded);
    const TeachingWish wish = wish_for(scratch, model);
    const LessonClips clips(wish, loaded->network);
    for (const KnownMix& mix : clips.without_lessons()) {
        // All of the mix as the estimate of a stem: the SI-SDR of the mix itself.
        const auto all = torch::ones({kStems, mix.features.size(0), kBands});
        const auto as_it_is = si_sdr_db(mix, all);
        double total = 0.0;
        for (const double e : mix.energy) total += e;
        for (std::size_t s = 0; s < kStems; ++s) {
            if (mix.energy[s] <= 0.0) continue;
            // The parts are all but unlike each other, so that this is their ratio of energies.
            EXPECT_NEAR(as_it_is[s], db_of_power(mix.energy[s] / (total - mix.energy[s])), 1.0) << s;
        }
        // Half of everything is the same but for its level, which the measure does not see.
        const auto half = si_sdr_db(mix, 0.5 * all);
        for (std::size_t s = 0; s < kStems; ++s) EXPECT_NEAR(half[s], as_it_is[s], 1e-6);
    }
}

// A steady tone with its partials, as of a ventilator, is music to the quick model as it comes. Taught with
// the sound that comes with the program, it takes more of it for what it is.
TEST(Teaching, LearnsWhatItIsShownAndSaysHowMuch) {
    const test::Scratch scratch;
    const fs::path models = fs::path(RIVLEN_ROOT) / "models";
    fs::copy_file(models / "quick.safetensors", scratch / "quick.safetensors");
    const auto loaded = load_network(scratch / "quick.safetensors");
    auto others = load_other_sound(models / kOtherSoundFolder);
    ASSERT_TRUE(loaded) << loaded.error().message;
    ASSERT_TRUE(others) << others.error().message;
    auto fan = test::noise(6 * kModelRate, 5);
    for (float& x : fan) x *= 0.02F;
    for (int partial = 1; partial <= 6; ++partial) {
        const auto more = tone(118.0 * partial, 6, 0.1F / static_cast<float>(partial));
        for (std::size_t i = 0; i < fan.size(); ++i) fan[i] += more[i];
    }
    TeachingWish wish;
    wish.model = scratch / "quick.safetensors";
    wish.lessons = {{Stem::Ambience, stereo(fan)}};
    wish.others = std::move(*others);
    wish.steps = 25;
    wish.output = scratch / "taught.safetensors";
    std::vector<double> told;  // of how far it is
    JobControl job;
    job.progress = [&](double share) { told.push_back(share); };
    const auto report = teach_network(*loaded, wish, job);
    ASSERT_TRUE(report) << report.error().message;
    ASSERT_GT(report->taken, 0U);
    const TeachingTrial& taken = report->trials[report->taken];
    EXPECT_GT(taken.lesson_gain_db[3], 1.0);
    EXPECT_GE(taken.others_gain_db, -kMostLossDb);
    EXPECT_EQ(report->trials.front().share, 0.0);
    EXPECT_EQ(report->trials.front().lessons_gain_db, 0.0);
    EXPECT_TRUE(std::ranges::is_sorted(told));
    EXPECT_EQ(told.back(), 1.0);
    auto taught = load_network(wish.output);
    ASSERT_TRUE(taught) << taught.error().message;
    EXPECT_LE(golden_difference(taught->network, taught->golden), kGoldenTolerance);
    // At another pitch, which it never heard: more of it is ambience than before.
    const auto ambience_of = [&](SeparationNetwork network) {
        Blend blend;
        const std::array<std::vector<float>, 2> sides = {tone(125, 3, 0.2F), tone(125, 3, 0.1F)};
        const StemSpectra spectra = spectra_of(sides);
        blend.frames = spectra.frames;
        blend.stems[3] = &spectra;
        const auto masks = network->forward(example_of(blend).features.unsqueeze(0));
        const auto bin = static_cast<std::size_t>(std::lround(125.0 * kModelFft / kModelRate));
        return masks.select(3, band_of_bin()[bin]).select(2, 3).mean().item<double>();
    };
    EXPECT_GT(ambience_of(taught->network), ambience_of(loaded->network));
}

TEST(Teaching, IsTheSameEveryTimeAndWithAnyNumberOfThreads) {
    const test::Scratch scratch;
    const auto model = random_model(scratch, "base", 5);
    const auto loaded = load_network(model);
    ASSERT_TRUE(loaded);
    TeachingWish wish = wish_for(scratch, model);
    const auto first = teach_network(*loaded, wish, {});
    const auto again = teach_network(*loaded, wish, {});
    wish.workers = 1;
    const auto with_one = teach_network(*loaded, wish, {});
    ASSERT_TRUE(first && again && with_one);
    ASSERT_NE(first->trials.back().lessons_gain_db, 0.0);
    for (std::size_t i = 0; i < first->trials.size(); ++i) {
        EXPECT_EQ(again->trials[i].lessons_gain_db, first->trials[i].lessons_gain_db);
        EXPECT_EQ(again->trials[i].others_gain_db, first->trials[i].others_gain_db);
        // The same clips; only sums are rounded in another order.
        EXPECT_NEAR(with_one->trials[i].lessons_gain_db, first->trials[i].lessons_gain_db, 0.02);
    }
}

// A network whose masks are the parts of the music: what is left out of a mix is silent there, and what is
// second of the masks counts as all others do (of stems it is the reverb, which does not).
TEST(Teaching, PartsOfTheMusicAreLearnedAndMeasured) {
    const test::Scratch scratch;
    const auto model = random_model(scratch, "base", 8);
    auto loaded = load_network(model);
    ASSERT_TRUE(loaded);
    TeachingWish wish = wish_for(scratch, model);
    constexpr auto kDrums = static_cast<std::size_t>(MusicPart::Drums);
    wish.lessons = {{Stem::Music, stereo(gusts(6, 3, 5)), MusicPart::Drums}};
    for (auto& song : wish.others) song.stems[1] = stereo(tone(90, 3.5, 0.1F));
    const LessonClips clips(wish, loaded->network);
    const auto without = clips.without_lessons();
    for (std::size_t n = 0; n < without.size(); ++n) {
        for (std::size_t part = 0; part < kStems; ++part)
            EXPECT_EQ(without[n].energy[part] > 0, n % 2 == 0 || part != n / 2 % kStems) << n << " " << part;
    }
    for (const KnownMix& mix : clips.with_lessons()) {
        EXPECT_GT(mix.energy[kDrums], 0);
        EXPECT_GE(std::ranges::count_if(mix.energy, [](double e) { return e > 0; }), 3);
    }
    const auto report = teach_network(*loaded, wish, {});
    ASSERT_TRUE(report) << report.error().message;
    EXPECT_NE(report->trials.back().lesson_gain_db[kDrums], 0);
    wish.lessons.push_back({Stem::Ambience, stereo(tone(1000, 6, 0.1F))});  // not both at once
    EXPECT_EQ(teach_network(*loaded, wish, {}).error().kind, ErrorKind::Internal);
}

TEST(Teaching, KeepsTheOldModelWhenNothingIsGained) {
    const test::Scratch scratch;
    const auto model = random_model(scratch, "base", 6);
    const auto loaded = load_network(model);
    ASSERT_TRUE(loaded);
    TeachingWish wish = wish_for(scratch, model);
    wish.steps = 1;
    wish.rate = 1e-9;
    const auto report = teach_network(*loaded, wish, {});
    ASSERT_TRUE(report) << report.error().message;
    EXPECT_EQ(report->taken, 0U);
    EXPECT_FALSE(fs::exists(wish.output));
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(Teaching, WhatCannotTeachIsASentence) {
    const test::Scratch scratch;
    const auto model = random_model(scratch, "base", 7);
    const auto loaded = load_network(model);
    ASSERT_TRUE(loaded);
    const TeachingWish good = wish_for(scratch, model);
    const auto error_of = [&](const TeachingWish& wish) {
        const auto report = teach_network(*loaded, wish, {});
        EXPECT_FALSE(report);
        return report ? Error{} : report.error();
    };
    TeachingWish wish = good;
    wish.lessons.clear();
    EXPECT_EQ(error_of(wish).kind, ErrorKind::BadInput);
    wish = good;
    wish.lessons[0].sound = stereo(tone(1000, 2, 0.1F));
    EXPECT_NE(error_of(wish).message.find("shorter than 3 seconds"), std::string::npos);
    wish = good;
    wish.lessons[0].sound = AudioBlock(kModelRate, 2, 6 * kModelRate);
    EXPECT_NE(error_of(wish).message.find("next to no sound"), std::string::npos);
    wish = good;
    wish.others.resize(2);
    EXPECT_EQ(error_of(wish).kind, ErrorKind::NotFound);
    const std::atomic<bool> stop{true};
    JobControl cancelled;
    cancelled.cancel = &stop;
    const auto report = teach_network(*loaded, good, cancelled);
    ASSERT_FALSE(report);
    EXPECT_EQ(report.error().kind, ErrorKind::Cancelled);
    EXPECT_FALSE(fs::exists(good.output));
}

// A talker's lesson is dialogue and reverb as the model shares them, and their sum is the lesson.
TEST(Teaching, ATalkerIsAVoiceWhateverTheModelThoughtOfIt) {
    const test::Scratch scratch;
    const auto model = random_model(scratch, "base", 8);
    auto loaded = load_network(model);
    ASSERT_TRUE(loaded);
    TeachingWish wish = wish_for(scratch, model);
    wish.lessons = {{Stem::Dialogue, stereo(gusts(8, 99, 4))}};
    const LessonClips clips(wish, loaded->network);
    for (const KnownMix& mix : clips.with_lessons()) {
        EXPECT_GT(mix.energy[0] + mix.energy[1], 0.0);
        EXPECT_EQ(mix.energy[2] > 0.0, mix.energy[3] == 0.0);  // with music, or with ambience
    }
    Rng rng(1);
    for (int i = 0; i < 8; ++i) {
        const Example example = clips.draw(rng);
        EXPECT_TRUE(example.features.isfinite().all().item<bool>());
        EXPECT_TRUE(example.sums.cross.isfinite().all().item<bool>());
        EXPECT_GT(example.sums.constant, 0.0);
    }
}

}  // namespace
}  // namespace rivlen
