// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/recovery.h"

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include "core/base/output_file.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

Session session_of(const std::string& file) {
    Session session;
    session.items.emplace_back().path = file;
    session.current = 0;
    return session;
}

// A process keeps a session (and begins to read its media), and is killed.
void crash(const test::Scratch& work, const Session& session, bool reading = false) {
    const pid_t child = ::fork();
    ASSERT_GE(child, 0);
    if (child == 0) {
        Recovery recovery(work.folder());
        if (!recovery.keep(session)) ::_exit(1);
        if (reading) recovery.reading_media();
        ::kill(::getpid(), SIGKILL);
    }
    int status = 0;
    ASSERT_EQ(::waitpid(child, &status, 0), child);
    ASSERT_TRUE(WIFSIGNALED(status));
}

std::size_t files_in(const std::filesystem::path& folder) {
    std::size_t n = 0;
    for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(folder)) ++n;
    return n;
}

TEST(Recovery, NothingIsLeftByAProperEnd) {
    const test::Scratch work;
    {
        Recovery recovery(work.folder());
        ASSERT_TRUE(recovery.keep(session_of("/a/take.wav")).ok());
        EXPECT_TRUE(std::filesystem::exists(recovery.file()));
    }
    EXPECT_EQ(files_in(work / "recovery"), 0U);
    Recovery next(work.folder());
    const auto left = next.take_over();
    ASSERT_TRUE(left.ok());
    EXPECT_FALSE(left->has_value());
}

TEST(Recovery, TheNextStartTakesOverWhatAKilledProcessKept) {
    const test::Scratch work;
    crash(work, session_of("/a/take.wav"));
    Recovery next(work.folder());
    const auto left = next.take_over();
    ASSERT_TRUE(left.ok() && left->has_value());
    EXPECT_EQ((*left)->session, session_of("/a/take.wav"));
    EXPECT_TRUE((*left)->read_media);
    EXPECT_TRUE(std::filesystem::exists(next.file()));  // and keeps it itself from the first moment on
    const auto again = next.take_over();
    ASSERT_TRUE(again.ok());
    EXPECT_FALSE(again->has_value());
}

TEST(Recovery, ASessionWhoseMediaEndedTheProgramIsGivenBackWithoutThem) {
    const test::Scratch work;
    crash(work, session_of("/a/bad.mp3"), true);
    {
        Recovery next(work.folder());
        const auto left = next.take_over();
        ASSERT_TRUE(left.ok() && left->has_value());
        EXPECT_FALSE((*left)->read_media);
    }
    // Read in the end, it is as any other.
    crash(work, session_of("/a/bad.mp3"), true);
    Recovery one(work.folder());
    ASSERT_TRUE(one.take_over().ok());
    one.reading_media();
    one.media_read();
    EXPECT_FALSE(std::filesystem::exists(one.file().string() + ".reading"));
}

TEST(Recovery, ASessionThatIsWorkedOnIsNotTakenOver) {
    const test::Scratch work;
    Recovery working(work.folder());
    ASSERT_TRUE(working.keep(session_of("/a/take.wav")).ok());
    Recovery other(work.folder());
    const auto left = other.take_over();
    ASSERT_TRUE(left.ok());
    EXPECT_FALSE(left->has_value());
    EXPECT_NE(working.file(), other.file());
}

TEST(Recovery, TheNewestComesFirstAndTheOthersStay) {
    const test::Scratch work;
    crash(work, session_of("/a/old.wav"));
    for (const auto& entry : std::filesystem::directory_iterator(work / "recovery"))
        std::filesystem::last_write_time(entry.path(), entry.last_write_time() - std::chrono::hours(1));
    crash(work, session_of("/a/new.wav"));
    Recovery next(work.folder());
    auto left = next.take_over();
    ASSERT_TRUE(left.ok() && left->has_value());
    EXPECT_EQ((*left)->session, session_of("/a/new.wav"));
    next.forget();
    left = next.take_over();
    ASSERT_TRUE(left.ok() && left->has_value());
    EXPECT_EQ((*left)->session, session_of("/a/old.wav"));
}

TEST(Recovery, WhatCannotBeKeptStaysForNextTime) {
    const test::Scratch work;
    crash(work, session_of("/a/take.wav"));
    {
        Recovery next(work.folder());
        // A folder of that name is in the way of what is kept, as a full disk would be.
        std::filesystem::create_directories(next.file() / "in the way");
        EXPECT_FALSE(next.take_over().ok());
        std::filesystem::remove_all(next.file());
    }
    Recovery later(work.folder());
    const auto left = later.take_over();
    ASSERT_TRUE(left.ok() && left->has_value());
    EXPECT_EQ((*left)->session, session_of("/a/take.wav"));
}

TEST(Recovery, ADamagedFileIsPassedOver) {
    const test::Scratch work;
    crash(work, session_of("/a/take.wav"));
    std::filesystem::create_directories(work / "recovery");
    ASSERT_TRUE(write_text_file(work / "recovery/1.rivlen", "{ no session").ok());
    Recovery next(work.folder());
    const auto left = next.take_over();
    ASSERT_TRUE(left.ok() && left->has_value());
    EXPECT_EQ((*left)->session, session_of("/a/take.wav"));
    EXPECT_TRUE(std::filesystem::exists(work / "recovery/1.rivlen"));  // a person may still want it
}

}  // namespace
}  // namespace rivlen
