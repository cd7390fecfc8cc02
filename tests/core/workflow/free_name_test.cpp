// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/free_name.h"

#include <gtest/gtest.h>

#include "core/base/output_file.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

TEST(FreeNames, AreTheFirstThatNoFileHas) {
    const test::Scratch scratch;
    EXPECT_EQ(free_name(scratch.folder(), "Anna"), scratch / "Anna.wav");
    for (const char* taken : {"Anna.wav", "Anna 3.wav"})
        ASSERT_TRUE(write_text_file(scratch / taken, "").ok());
    EXPECT_EQ(free_name(scratch.folder(), "Anna"), scratch / "Anna 2.wav");
    ASSERT_TRUE(write_text_file(scratch / "Anna 2.wav", "").ok());
    EXPECT_EQ(free_name(scratch.folder(), "Anna"), scratch / "Anna 4.wav");
    // What is only a part of another name does not count.
    EXPECT_EQ(free_name(scratch.folder(), "Ann"), scratch / "Ann.wav");
}

TEST(FreeNames, AreNumberedFromOne) {
    const test::Scratch scratch;
    EXPECT_EQ(free_numbered_name(scratch.folder(), "take"), scratch / "take 1.wav");
    ASSERT_TRUE(write_text_file(scratch / "take 1.wav", "").ok());
    EXPECT_EQ(free_numbered_name(scratch.folder(), "take"), scratch / "take 2.wav");
    // In a folder that is not there yet every name is free.
    EXPECT_EQ(free_numbered_name(scratch / "nowhere", "take"), scratch / "nowhere" / "take 1.wav");
}

}  // namespace
}  // namespace rivlen
