// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/session_lock.h"

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <optional>

#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

TEST(SessionLock, OneHasItTheOtherKnowsWho) {
    const test::Scratch scratch;
    std::optional<SessionLock> first(std::in_place, scratch / "mill.rivlen");
    EXPECT_TRUE(first->held());
    const SessionLock second(scratch / "mill.rivlen");
    EXPECT_FALSE(second.held());
    EXPECT_NE(second.holder().find(" on "), std::string::npos) << second.holder();
    const SessionLock other(scratch / "weir.rivlen");
    EXPECT_TRUE(other.held());
    first.reset();
    const SessionLock third(scratch / "mill.rivlen");
    EXPECT_TRUE(third.held());
}

TEST(SessionLock, MovesWithItsSession) {
    const test::Scratch scratch;
    SessionLock lock(scratch / "a.rivlen");
    lock = SessionLock(scratch / "b.rivlen");
    EXPECT_TRUE(SessionLock(scratch / "a.rivlen").held());
    EXPECT_FALSE(SessionLock(scratch / "b.rivlen").held());
    lock = {};
    EXPECT_TRUE(SessionLock(scratch / "b.rivlen").held());
}

TEST(SessionLock, AProcessThatIsKilledGivesItUp) {
    const test::Scratch scratch;
    const pid_t child = ::fork();
    ASSERT_GE(child, 0);
    if (child == 0) {
        const SessionLock lock(scratch / "mill.rivlen");
        ::kill(::getpid(), SIGKILL);
    }
    int status = 0;
    ASSERT_EQ(::waitpid(child, &status, 0), child);
    EXPECT_TRUE(SessionLock(scratch / "mill.rivlen").held());
}

TEST(SessionLock, WhereNothingCanBeWrittenThereIsNone) {
    EXPECT_TRUE(SessionLock("/proc/mill.rivlen").held());
    EXPECT_TRUE(SessionLock().held());
}

}  // namespace
}  // namespace rivlen
