// SPDX-License-Identifier: GPL-3.0-or-later
// What is made ahead comes in order, is not made further ahead than said, and fails where it is taken.
#include <gtest/gtest.h>

#include <atomic>
#include <stdexcept>

#include "learn/made_ahead.h"

namespace rivlen::learn {
namespace {

TEST(MadeAheadItems, ComeInOrderAndNotTooFarAhead) {
    constexpr std::size_t kAhead = 3;
    std::atomic<std::int64_t> made{0};
    MadeAhead<std::int64_t> items(
        [&](std::int64_t n) {
            ++made;
            return n * n;
        },
        kAhead);
    for (std::int64_t n = 5; n < 40; ++n) {
        EXPECT_EQ(items.take(n).item, n * n);
        // Those taken, those that wait, and one that is being made.
        EXPECT_LE(made, (n - 4) + static_cast<std::int64_t>(kAhead) + 1);
    }
}

TEST(MadeAheadItems, BeginAnewElsewhere) {
    MadeAhead<std::int64_t> items([](std::int64_t n) { return n; }, 4);
    for (const std::int64_t n : {0, 1, 2, 100, 101, 7, 8}) EXPECT_EQ(items.take(n).item, n);
}

TEST(MadeAheadItems, FailWhereTheyAreTaken) {
    MadeAhead<std::int64_t> items(
        [](std::int64_t n) {
            if (n == 3) throw std::runtime_error("no third");
            return n;
        },
        8);
    for (std::int64_t n = 0; n < 3; ++n) EXPECT_EQ(items.take(n).item, n);
    EXPECT_THROW((void)items.take(3), std::runtime_error);
    EXPECT_THROW((void)items.take(3), std::runtime_error);
    EXPECT_EQ(items.take(4).item, 4);
}

}  // namespace
}  // namespace rivlen::learn
