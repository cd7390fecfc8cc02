// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/teaching.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/base/output_file.h"
#include "core/separation/other_sound.h"
#include "core/workflow/session_media.h"
#include "core/workflow/splitting.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;
using test::Scratch;

TeachingOrder order_for(const Scratch& scratch) {
    TeachingOrder order;
    order.model = scratch / "model";
    order.engine = RIVLEN_BAND_ENGINE_FILE;
    order.other_sound = scratch / "other";
    test::make_other_sound(order.other_sound);
    order.steps = 10;
    order.folder = scratch / "taught";
    EXPECT_TRUE(write_text_file(order.model, "of the engine for tests").ok());
    return order;
}

TEST(OtherSound, ThatComesWithTheProgramIsWhole) {
    const auto clips = load_other_sound(fs::path(RIVLEN_ROOT) / "models/teaching");
    ASSERT_TRUE(clips) << clips.error().message;
    EXPECT_GE(clips->size(), std::size_t{30});
    std::size_t with_reverb = 0;
    for (const auto& clip : *clips) {
        for (const auto& stem : clip.stems) EXPECT_EQ(stem.frames(), clip.stems[0].frames());
        const auto loudest = [](const AudioBlock& sound) {
            float peak = 0;
            for (std::size_t c = 0; c < 2; ++c) {
                for (const float x : sound[c]) peak = std::max(peak, std::abs(x));
            }
            return peak;
        };
        EXPECT_GT(loudest(clip.stems[0]), 0.02F);
        EXPECT_GT(loudest(clip.stems[2]), 2e-3F);
        EXPECT_GT(loudest(clip.stems[3]), 0.01F);
        with_reverb += loudest(clip.stems[1]) > 1e-3F ? 1 : 0;
        EXPECT_GE(clip.bandwidth_hz, 8000);
    }
    EXPECT_GT(with_reverb, clips->size() / 2);
}

TEST(OtherSound, MissingOrDamagedIsASentence) {
    const Scratch scratch;
    EXPECT_EQ(load_other_sound({}).error().kind, ErrorKind::NotFound);
    EXPECT_EQ(load_other_sound(scratch.folder()).error().kind, ErrorKind::NotFound);
    for (const char* list : {"[", "{}", R"({"clips": [], "clip_seconds": 5})", R"({"clips": 3})",
                             R"({"clip_seconds": "5", "clips": [{"bandwidth_hz": 1}]})",
                             R"({"clip_seconds": 5, "clips": [1, 2, 3, 4, 5]})"}) {
        ASSERT_TRUE(write_text_file(scratch / kOtherSoundList, list).ok());
        const auto clips = load_other_sound(scratch.folder());
        ASSERT_FALSE(clips) << list;
        EXPECT_EQ(clips.error().kind, ErrorKind::BadInput) << list;
    }
}

// One channel on both sides, at the model's rate.
TEST(Lessons, AreWhatIsMarkedAsTheModelHearsIt) {
    const Scratch scratch;
    std::vector<float> tone(3 * 44100);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] = 0.5F *
                  static_cast<float>(std::sin(2 * std::numbers::pi * 441.0 * static_cast<double>(i) / 44100));
    test::write_wav(scratch / "tone.wav", {tone}, 44100);
    const auto source = Source::bring_in(scratch / "tone.wav", scratch / "work");
    ASSERT_TRUE(source);
    const AudioBlock lesson = lesson_sound(*source, {Stem::Music, 44100, 2 * 44100});
    EXPECT_EQ(lesson.sample_rate(), kModelRate);
    ASSERT_EQ(lesson.channels(), 2U);
    ASSERT_EQ(lesson.frames(), static_cast<std::size_t>(kModelRate));
    // 441 whole periods begin at the mark, so that the same tone comes out at the other rate.
    for (std::size_t i = 4800; i < lesson.frames() - 4800; ++i) {
        const double wanted =
            0.5 * std::sin(2 * std::numbers::pi * 441.0 * static_cast<double>(i) / kModelRate);
        ASSERT_NEAR(lesson[0][i], wanted, 1e-3) << i;
    }
    EXPECT_TRUE(std::ranges::equal(lesson[0], lesson[1]));
}

TEST(Marks, MoveWithinTheRecording) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 8);
    const TeachingMark mark{Stem::Ambience, 2 * 48000, 4 * 48000};
    EXPECT_EQ(moved(source, mark, 48000), (TeachingMark{Stem::Ambience, 3 * 48000, 5 * 48000}));
    EXPECT_EQ(moved(source, mark, -10 * 48000), (TeachingMark{Stem::Ambience, 0, 2 * 48000}));
    EXPECT_EQ(moved(source, mark, 10 * 48000), (TeachingMark{Stem::Ambience, 6 * 48000, 8 * 48000}));
    EXPECT_EQ(with_end_moved(source, mark, 48000).last, 5 * 48000);
    EXPECT_EQ(with_end_moved(source, mark, 10 * 48000).last, 8 * 48000);
    const TeachingMark shortest = with_end_moved(source, mark, -3 * 48000);
    EXPECT_EQ(shortest, (TeachingMark{Stem::Ambience, 2 * 48000, 3 * 48000}));
    EXPECT_TRUE(may_mark(source, shortest).ok());
}

TEST(Teaching, LeavesWeightsThatSplitOtherwise) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 8);
    TeachingOrder order = order_for(scratch);
    order.marks = {{Stem::Music, 0, 2 * 48000}, {Stem::Music, 4 * 48000, 6 * 48000}};
    const auto done = teach_recording(source, order);
    ASSERT_TRUE(done) << done.error().message;
    ASSERT_TRUE(done->stems);
    EXPECT_FALSE(done->parts);
    EXPECT_EQ(done->stems->weights, scratch / "taught" / "model taught 1.safetensors");
    const auto second = teach_recording(source, order);
    ASSERT_TRUE(second);
    EXPECT_EQ(second->stems->weights.filename(), "model taught 2.safetensors");
    SplitWish wish;
    wish.work_folder = scratch.folder();
    wish.model = done->stems->weights;
    wish.engine = RIVLEN_BAND_ENGINE_FILE;
    const auto split = split_recording(source, wish);
    ASSERT_TRUE(split) << split.error().message;
    std::array<float, kMaskRow> masks{};
    split->map.read(10, masks);
    EXPECT_NEAR(masks[2 * kBands + 17], 1.0F, 1e-3F);
    // It is found again for who asks for the taught one, and for nobody else.
    const auto again = best_map(source, ChannelGrouping::Pairs, wish.work_folder, done->stems->weights);
    ASSERT_TRUE(again);
    EXPECT_TRUE(again->facts().model.starts_with("model taught 1"));
    // Of another teaching whose number only begins alike it is not.
    const fs::path tenth = scratch / "taught" / "model taught 10.safetensors";
    fs::copy_file(scratch / "taught" / "model taught 2.safetensors", tenth);
    EXPECT_TRUE(made_with(*again, done->stems->weights));
    EXPECT_FALSE(made_with(*again, tenth));
    const auto plain = best_map(source, ChannelGrouping::Pairs, wish.work_folder);
    EXPECT_FALSE(plain && plain->facts().model.starts_with("model taught"));
}

// Marks of both kinds teach both models, each with its own; a single file cannot hold them.
TEST(Teaching, PartsOfTheMusicHaveAModelOfTheirOwn) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 8);
    TeachingOrder order = order_for(scratch);
    order.parts_model = scratch / "parts";
    ASSERT_TRUE(write_text_file(order.parts_model, "of the engine for tests, too").ok());
    order.marks = {{Stem::Music, 0, 4 * 48000}, TeachingMark::of(sound_of(MusicPart::Bass), 0, 4 * 48000)};
    std::vector<double> told;
    const auto done = teach_recording(source, order, {[&](double share) { told.push_back(share); }, nullptr});
    ASSERT_TRUE(done) << done.error().message;
    ASSERT_TRUE(done->stems && done->parts);
    EXPECT_TRUE(std::ranges::is_sorted(told));
    EXPECT_EQ(told.back(), 1);
    EXPECT_EQ(done->parts->weights, scratch / "taught" / "parts taught 1.safetensors");
    const std::string words = words_of(*done, order.marks);
    EXPECT_NE(words.find("kept back: music +3.0 dB"), std::string::npos) << words;
    EXPECT_NE(words.find(
                  "Of the parts of the music: Taught in 60 s. On the seconds that were kept back: bass +3.0"),
              std::string::npos)
        << words;
    // The engine for tests gives all of the music to what was taught.
    SplitWish wish;
    wish.work_folder = scratch.folder();
    wish.model = order.model;
    wish.parts_model = done->parts->weights;
    wish.engine = RIVLEN_BAND_ENGINE_FILE;
    const auto split = split_recording(source, wish);
    ASSERT_TRUE(split) << split.error().message;
    const auto opened = open_music(source, split->map, wish);
    ASSERT_TRUE(opened) << opened.error().message;
    std::array<float, kOpenedRow> row{};
    opened->read(10, row);
    for (std::size_t band = 0; band < kBands; ++band)
        ASSERT_NEAR(row[sound_of(MusicPart::Bass) * kBands + band], row[kMusicSound * kBands + band], 1e-3F);
    EXPECT_TRUE(opened_before(source, split->map, wish.work_folder, wish.parts_model));
    EXPECT_FALSE(opened_before(source, split->map, wish.work_folder, order.parts_model));
    order.weights = scratch / "one.safetensors";
    const auto one = teach_recording(source, order);
    ASSERT_FALSE(one);
    EXPECT_NE(one.error().message.find("one after the other"), std::string::npos);
}

// What a session has taught is what its clips play, unless another model is asked for.
TEST(Teaching, ASessionIsReadWithWhatItTaught) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 8);
    TeachingOrder order = order_for(scratch);
    order.marks = {{Stem::Music, 0, 4 * 48000}};
    const auto done = teach_recording(source, order);
    ASSERT_TRUE(done) << done.error().message;
    Session session;
    session.items.resize(1);
    session.items[0].path = source.original();
    session.items[0].taught = TaughtModel{done->stems->weights};
    Clip clip;
    clip.path = source.original();
    clip.clip_source = ClipSource::Music;
    clip.length = 48000;
    session.timeline.sample_rate = 48000;
    session.timeline.tracks.resize(1);
    session.timeline.tracks[0].clips = {clip};
    SplitWish wish;
    wish.work_folder = scratch.folder();
    wish.engine = RIVLEN_BAND_ENGINE_FILE;
    const auto model_of_clip = [&] {
        const auto media = load_media(session, wish, [](const std::string&) { return JobControl{}; });
        EXPECT_TRUE(media) << media.error().message;
        return media ? media->at(source.original()).map->facts().model : std::string();
    };
    EXPECT_TRUE(model_of_clip().starts_with("model taught 1")) << model_of_clip();
    wish.model = order.model;
    EXPECT_FALSE(model_of_clip().starts_with("model taught 1")) << model_of_clip();
}

TEST(Teaching, WritesNothingWhenNothingIsGained) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 8);
    TeachingOrder order = order_for(scratch);
    order.marks = {{Stem::Music, 0, 4 * 48000}};
    order.steps = 1;  // the engine for tests has it so
    const auto done = teach_recording(source, order);
    ASSERT_TRUE(done) << done.error().message;
    EXPECT_TRUE(done->stems->weights.empty());
    EXPECT_FALSE(fs::exists(scratch / "taught" / "model taught 1.safetensors"));
    const std::string words = words_of(*done, order.marks);
    EXPECT_TRUE(words.starts_with("Nothing was changed")) << words;
    EXPECT_NE(words.find("Music seldom gains"), std::string::npos) << words;
}

TEST(Teaching, MarksThatCannotTeachAreASentence) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 8);
    TeachingOrder order = order_for(scratch);
    const auto error_of = [&](std::vector<TeachingMark> marks) {
        order.marks = std::move(marks);
        const auto done = teach_recording(source, order);
        EXPECT_FALSE(done);
        return done ? Error{} : done.error();
    };
    EXPECT_NE(error_of({{Stem::Ambience, 0, 2 * 48000}}).message.find("has 2.0 s together"),
              std::string::npos);
    EXPECT_NE(error_of({{Stem::Ambience, 0, 9 * 48000}}).message.find("outside the recording"),
              std::string::npos);
    EXPECT_EQ(error_of({{Stem::Ambience, 5, 5}}).kind, ErrorKind::BadInput);
    EXPECT_NE(
        error_of({{Stem::Ambience, 0, 24000}, {Stem::Ambience, 48000, 4 * 48000}}).message.find("has 0.5 s"),
        std::string::npos);
}

TEST(Teaching, AStretchIsMarkedOnce) {
    std::vector<TeachingMark> marks;
    add_mark(marks, {Stem::Ambience, 500, 900});
    add_mark(marks, {Stem::Music, 100, 400});
    add_mark(marks, {Stem::Dialogue, 500, 900});
    EXPECT_EQ(marks, (std::vector<TeachingMark>{{Stem::Music, 100, 400}, {Stem::Dialogue, 500, 900}}));
}

TEST(Teaching, WordsSayWhatWasGained) {
    TeachingReport report;
    report.seconds = 61.4;
    report.trials.resize(2);
    report.trials[1].share = 0.5;
    report.trials[1].lesson_gain_db = {0.84, 0, 0, 3.06};
    report.trials[1].lessons_gain_db = 1.95;
    report.trials[1].others_gain_db = -0.12;
    report.taken = 1;
    EXPECT_EQ(
        words_of({.stems = TeachingOutcome{report, {}}, .parts = {}}, {{Stem::Ambience, 0, 1}}),
        "Taught in 61 s. On the seconds that were kept back: dialogue +0.8 dB, ambience +3.1 dB; on other "
        "mixes -0.1 dB.");
}

TEST(Teaching, WeightsGoBesideTheSessionThatIsSaved) {
    const Scratch scratch;
    const fs::path work = scratch / "work";
    fs::create_directories(taught_folder({}, work));
    const fs::path weights = taught_folder({}, work) / "fine taught 1.safetensors";
    ASSERT_TRUE(write_text_file(weights, "learned").ok());
    Session session;
    session.items.resize(2);
    session.items[0].path = "/somewhere/a.wav";
    session.items[0].taught = TaughtModel{weights};
    const fs::path of_parts = taught_folder({}, work) / "parts taught 1.safetensors";
    ASSERT_TRUE(write_text_file(of_parts, "learned of parts").ok());
    session.items[0].taught_parts = TaughtModel{of_parts};
    session.items[1].path = "/somewhere/b.wav";
    const fs::path file = scratch / "mill.rivlen";
    ASSERT_TRUE(bring_taught_beside(session, file, work).ok());
    const fs::path beside = scratch / "mill taught" / "fine taught 1.safetensors";
    EXPECT_EQ(session.items[0].taught->weights, beside);
    EXPECT_EQ(*read_text_file(beside), "learned");
    EXPECT_EQ(session.items[0].taught_parts->weights, scratch / "mill taught" / "parts taught 1.safetensors");
    EXPECT_EQ(*read_text_file(session.items[0].taught_parts->weights), "learned of parts");
    EXPECT_TRUE(fs::exists(weights)) << "an undo may still ask for it";
    ASSERT_TRUE(save_session(session, file).ok());
    const auto again = load_session(file);
    ASSERT_TRUE(again);
    EXPECT_EQ(again->items[0].taught, session.items[0].taught);
    EXPECT_NE(read_text_file(file)->find("\"mill taught/fine taught 1.safetensors\""), std::string::npos);
    // Where it cannot go it stays, and that is told.
    session.items[0].taught = TaughtModel{weights};
    ASSERT_TRUE(write_text_file(scratch / "other taught", "in the way").ok());
    EXPECT_FALSE(bring_taught_beside(session, scratch / "other.rivlen", work).ok());
    EXPECT_EQ(session.items[0].taught->weights, weights);
}

}  // namespace
}  // namespace rivlen
