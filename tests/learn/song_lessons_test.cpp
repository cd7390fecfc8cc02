// SPDX-License-Identifier: GPL-3.0-or-later
// Learning the parts of songs.
#include "learn/song_lessons.h"

#include <gtest/gtest.h>
#include <torch/torch.h>

#include <filesystem>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "learn/train.h"
#include "tests/learn/made_corpus.h"

namespace rivlen::learn {
namespace {

namespace fs = std::filesystem;

// A made corpus with a soundfont (Debian: timgm6mb-soundfont) to learn and to choose from.
Result<Corpus> corpus_with_soundfonts(const test::Scratch& scratch) {
    (void)test::made_corpus(scratch);
    const fs::path folder = scratch / "corpus";
    for (const char* pool : {"learn", "choose"}) {
        fs::create_directories(folder / "soundfonts" / pool);
        fs::create_symlink("/usr/share/sounds/sf2/TimGM6mb.sf2", folder / "soundfonts" / pool / "font.sf2");
    }
    return Corpus::open(folder);
}

StockOptions small_stock() {
    StockOptions stock;
    stock.seed = 3;
    stock.clip_seconds = 1.0;
    stock.parts = 3;
    stock.uses = 2;
    return stock;
}

// What is learned from at a step does not depend on where the run began.
TEST(SongStocks, GoOnAnywhere) {
    const test::Scratch scratch;
    const auto corpus = corpus_with_soundfonts(scratch);
    ASSERT_TRUE(corpus.ok());
    const Material readers(*corpus, Pool::Learn);
    auto maker = song_maker(*corpus, readers, Pool::Learn);
    auto other_maker = song_maker(*corpus, readers, Pool::Learn);
    ASSERT_TRUE(maker.ok() && other_maker.ok());
    SongStock all(std::move(*maker), small_stock());
    for (std::int64_t step = 0; step <= 4; ++step) all.follow(step, 2);
    SongStock later(std::move(*other_maker), small_stock());
    later.follow(4, 2);
    for (std::uint64_t seed = 1; seed <= 3; ++seed) {
        Rng one(seed), other(seed);
        const Example a = all.draw(one), b = later.draw(other);
        EXPECT_TRUE(torch::equal(a.features, b.features));
        EXPECT_TRUE(torch::equal(a.sums.cross, b.sums.cross));
        EXPECT_GT(a.features.abs().sum().item<double>(), 0);
    }
}

TEST(SongStocks, WithoutSoundfontsSayWhatToDo) {
    const test::Scratch scratch;
    const auto corpus = test::made_corpus(scratch);
    const Material readers(corpus, Pool::Tell);
    const auto maker = song_maker(corpus, readers, Pool::Tell);
    ASSERT_FALSE(maker.ok());
    EXPECT_EQ(maker.error().kind, ErrorKind::NotFound);
    EXPECT_NE(maker.error().message.find("rivlen-learn corpus"), std::string::npos);
}

// With the masks that the known parts have, every part gains, and nothing of a voice is left where there is
// none; with equal masks nothing is gained, as SI-SDR does not see a gain.
TEST(SongSets, HaveSongsWithoutAVoice) {
    const test::Scratch scratch;
    const auto corpus = corpus_with_soundfonts(scratch);
    ASSERT_TRUE(corpus.ok());
    const Material readers(*corpus, Pool::Choose);
    auto maker = song_maker(*corpus, readers, Pool::Choose);
    ASSERT_TRUE(maker.ok());
    const auto set = make_song_set(*maker, 8, 2.0);
    ASSERT_EQ(set.mixes.size(), 8U);
    std::vector<Figures> oracle, none;
    for (const auto& mix : set.mixes) {
        const auto masks = oracle_masks(mix);
        oracle.push_back(figures_of(mix, apply_masks(masks, mix)));
        none.push_back(figures_of(mix, apply_masks(torch::full_like(masks, 0.25), mix)));
    }
    EXPECT_LT(oracle[3].bleed_db.at("voices"), -60);
    EXPECT_LT(oracle[7].bleed_db.at("voices"), -60);
    for (const double gain : mean_gains(oracle, kMusicPartNames)) EXPECT_GT(gain, 4.0);
    for (const double gain : mean_gains(none, kMusicPartNames)) EXPECT_NEAR(gain, 0.0, 0.1);
}

// A score by a person sounds as it is written: parts by its instruments, which add up.
TEST(SongSets, AreMadeOfScoresByPeople) {
    const test::Scratch scratch;
    ASSERT_TRUE(corpus_with_soundfonts(scratch).ok());
    fs::create_directories(scratch / "corpus/scores/choose");
    ASSERT_TRUE(write_text_file(scratch / "corpus/scores/choose/a.mid", test::made_score()).ok());
    const auto corpus = Corpus::open(scratch / "corpus");
    ASSERT_TRUE(corpus.ok());
    const Material readers(*corpus, Pool::Choose);
    auto maker = song_maker(*corpus, readers, Pool::Choose);
    ASSERT_TRUE(maker.ok());
    ASSERT_EQ(maker->scores().size(), 1U);
    const auto set = make_score_set(*maker, 2, 2.0);
    ASSERT_EQ(set.mixes.size(), 2U);
    const Mix& mix = set.mixes[0];
    const auto energy = [&](MusicPart part) {
        return energy_of(std::span<const float>(mix.stems[static_cast<std::size_t>(part)][0]));
    };
    for (const auto part : {MusicPart::Voices, MusicPart::Drums, MusicPart::Bass}) EXPECT_GT(energy(part), 0);
    EXPECT_EQ(energy(MusicPart::Rest), 0);
    for (std::size_t i = 0; i < mix.mix[0].size(); i += 101) {
        float sum = 0;
        for (const auto& stem : mix.stems) sum += stem[0][i];
        ASSERT_NEAR(sum, mix.mix[0][i], 1e-5F);
    }
    // What is damaged is said, not passed over.
    ASSERT_TRUE(write_text_file(scratch / "corpus/scores/choose/b.mid", "no score").ok());
    EXPECT_FALSE(song_maker(*Corpus::open(scratch / "corpus"), readers, Pool::Choose).ok());
}

TEST(SongLessons, AreLearnedFrom) {
    const test::Scratch scratch;
    (void)corpus_with_soundfonts(scratch);
    TrainOptions options;
    options.corpus = scratch / "corpus";
    options.run = scratch / "run";
    options.spec.width = options.spec.hidden = options.spec.head_hidden = 16;
    options.spec.blocks = 1;
    options.songs = true;
    options.stock = small_stock();
    options.clip_seconds = 1.0;
    options.clips = 1;
    options.steps = 2;
    options.evaluate_per_kind = 1;
    options.log = [](const std::string&) {};
    ASSERT_TRUE(train(options).ok());
    const auto log = read_text_file(options.run / "log.csv");
    ASSERT_TRUE(log.ok());
    EXPECT_NE(log->find("voices_db,drums_db,bass_db,rest_db\n"), std::string::npos);
    auto model = load_network(options.run / "model.safetensors");
    ASSERT_TRUE(model.ok());
    EXPECT_EQ(model->metadata.at("stems"), "voices, drums, bass, rest");
}

}  // namespace
}  // namespace rivlen::learn
