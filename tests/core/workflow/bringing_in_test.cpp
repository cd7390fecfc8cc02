// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/bringing_in.h"

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include "core/base/output_file.h"
#include "core/media/sound_file.h"
#include "core/project/editing.h"
#include "core/workflow/placing.h"
#include "core/workflow/putting_back.h"
#include "core/workflow/session_media.h"
#include "core/workflow/splitting.h"
#include "core/workflow/takes.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

TEST(BringingIn, GivesFactsAndSoundAndFindsTheWorkingCopyAgain) {
    const test::Scratch scratch;
    test::write_wav(scratch / "take.wav", {test::noise(4800, 1), test::noise(4800, 2)}, 44100);
    const auto first = bring_in(scratch / "take.wav", scratch / "work");
    ASSERT_TRUE(first.ok()) << first.error().message;
    EXPECT_EQ(first->source->channels(), 2);
    EXPECT_EQ(first->source->sample_rate(), 44100);
    EXPECT_FALSE(first->info.picture.has_value());
    const auto second = bring_in(scratch / "take.wav", scratch / "work");
    ASSERT_TRUE(second.ok());
    EXPECT_EQ(second->source->sound_file(), first->source->sound_file());
    EXPECT_FALSE(bring_in(scratch / "nothing.wav", scratch / "work").ok());
}

TEST(BringingIn, ARecordingIsInTheSessionOnce) {
    Session session;
    add_recording(session, "/a/one.wav");
    add_recording(session, "/a/two.wav");
    EXPECT_EQ(session.current, 1);
    add_recording(session, "/a/one.wav");
    EXPECT_EQ(session.items.size(), 2U);
    EXPECT_EQ(session.current, 0);
    EXPECT_EQ(item_of(session, "/a/two.wav"), 1U);
    EXPECT_FALSE(item_of(session, "/a/three.wav").has_value());
    EXPECT_EQ(session_path("/a/b/../one.wav"), "/a/one.wav");
}

TEST(BringingIn, WhatHasMovedIsFoundEverywhereItIsUsedAndItsNeighboursWithIt) {
    const test::Scratch scratch;
    std::filesystem::create_directories(scratch / "new");
    for (const char* name : {"new/one.wav", "new/two.wav", "kept.wav"})
        test::write_wav(scratch / name, {test::noise(480, 1)}, 48000);
    Session session;
    session.items.emplace_back().path = scratch / "old/one.wav";
    session.items.emplace_back().path = scratch / "old/two.wav";
    session.items.emplace_back().path = scratch / "kept.wav";
    session.items.emplace_back().path = scratch / "old/nowhere.wav";
    session.timeline.tracks.emplace_back();
    session.timeline.tracks[0].clips.emplace_back();
    session.timeline.tracks[0].clips[0].path = scratch / "old/two.wav";
    session.timeline.picture.emplace_back();
    session.timeline.picture[0].path = scratch / "old/one.wav";
    relocate(session, scratch / "old/one.wav", scratch / "new/one.wav");
    EXPECT_EQ(session.items[0].path, scratch / "new/one.wav");
    EXPECT_EQ(session.items[1].path, scratch / "new/two.wav");
    EXPECT_EQ(session.items[2].path, scratch / "kept.wav");
    EXPECT_EQ(session.items[3].path, scratch / "old/nowhere.wav");
    EXPECT_EQ(session.timeline.tracks[0].clips[0].path, scratch / "new/two.wav");
    EXPECT_EQ(session.timeline.picture[0].path, scratch / "new/one.wav");
}

// A process is killed while it records: what it had written becomes a take, even when one of its name is
// there by then, and one without any sound leaves nothing.
TEST(Takes, WhatAKilledProcessRecordedIsKept) {
    const test::Scratch scratch;
    const auto sound = test::noise(48000, 5);
    const auto killed_while_recording = [&](std::size_t frames) {
        const pid_t child = ::fork();
        if (child == 0) {
            auto writer = SoundFileWriter::create(scratch / "take 1.wav", SoundFormat::WavFloat, 48000, 1);
            if (!writer) ::_exit(1);
            if (frames > 0) {
                const std::vector<std::vector<float>> block = {{sound.begin(), sound.begin() + 48000}};
                if (!writer->write(block)) ::_exit(1);
                writer->keep_readable();
            }
            ::raise(SIGKILL);
        }
        int status = 0;
        ASSERT_EQ(::waitpid(child, &status, 0), child);
        ASSERT_TRUE(WIFSIGNALED(status));
    };
    killed_while_recording(48000);
    ASSERT_EQ(left_partials(scratch.folder()).size(), 1U);
    EXPECT_EQ(left_partials(scratch.folder())[0].target, scratch / "take 1.wav");
    EXPECT_EQ(keep_cut_off_takes(scratch.folder()), std::vector{scratch / "take 1.wav"});
    EXPECT_EQ(test::read_wav(scratch / "take 1.wav"), test::Channels{sound});
    killed_while_recording(48000);
    EXPECT_EQ(keep_cut_off_takes(scratch.folder()), std::vector{scratch / "take 2.wav"});
    killed_while_recording(0);
    EXPECT_TRUE(keep_cut_off_takes(scratch.folder()).empty());
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(Takes, NamesAreNeverTakenTwice) {
    const test::Scratch scratch;
    const auto unsaved = next_take({}, scratch / "work");
    EXPECT_EQ(unsaved, scratch / "work/takes/take 1.wav");
    const auto first = next_take(scratch / "mill.rivlen", scratch / "work");
    EXPECT_EQ(first, scratch / "mill takes/take 1.wav");
    std::filesystem::create_directories(first.parent_path());
    test::write_wav(first, {test::noise(48, 1)}, 48000);
    EXPECT_EQ(next_take(scratch / "mill.rivlen", scratch / "work"), scratch / "mill takes/take 2.wav");
}

// Endings that cannot be written become .mov (common practice, no source).
TEST(PuttingBack, SuggestsAFileBesideThePictureThatCanBeWritten) {
    EXPECT_EQ(suggested_put_back("/a/scene.mkv"), "/a/scene kept.mkv");
    EXPECT_EQ(suggested_put_back("/a/scene.avi"), "/a/scene kept.mov");
}

TEST(Splitting, SaysWhatIsMissing) {
    const test::Scratch scratch;
    const Source source = test::noise_source(scratch, 48000, 1, 0.5);
    SplitWish wish;
    wish.work_folder = scratch.folder();
    wish.model = scratch / "no-model.safetensors";
    const auto outcome = split_recording(source, wish);
    ASSERT_FALSE(outcome.ok());
    EXPECT_FALSE(outcome.error().message.empty());
    EXPECT_FALSE(best_map(source, ChannelGrouping::Pairs, scratch.folder()).has_value());
}

TEST(SessionMedia, ClipsEndWithWhatTheyPlay) {
    const test::Scratch scratch;
    const auto source = std::make_shared<const Source>(test::noise_source(scratch, 48000, 1, 1.0));
    Timeline timeline;
    timeline.sample_rate = 48000;
    place_recording(timeline, {"/a.wav", 48000, 48000, {}, 0}, 0);
    place_recording(timeline, {"/b.wav", 48000, 48000, {}, 0}, 0);
    timeline.tracks[0].clips[0].length = std::int64_t{1} << 36;
    timeline.tracks[1].clips[0].offset = 90000;  // behind its end
    fit_to_media(timeline, {{"/a.wav", {source, nullptr, 48000}}, {"/b.wav", {source, nullptr, 48000}}});
    EXPECT_EQ(timeline.tracks[0].clips[0].length, 48000);
    EXPECT_TRUE(timeline.tracks[1].clips.empty());
    EXPECT_TRUE(well_formed(timeline));
    EXPECT_EQ(timeline.end(), 48000);
}

}  // namespace
}  // namespace rivlen
