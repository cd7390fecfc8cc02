// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/audio_block.h"

#include <gtest/gtest.h>

namespace rivlen {
namespace {

TEST(AudioBlock, BeginsAsSilence) {
    const AudioBlock block(48000, 2, 3);
    EXPECT_EQ(block.sample_rate(), 48000);
    EXPECT_EQ(block.channels(), 2U);
    EXPECT_EQ(block.frames(), 3U);
    EXPECT_FALSE(block.empty());
    for (std::size_t c = 0; c < 2; ++c) {
        for (const float x : block[c]) EXPECT_EQ(x, 0.0F);
    }
    EXPECT_TRUE(AudioBlock().empty());
    EXPECT_TRUE(AudioBlock(44100, 6).empty());
}

TEST(AudioBlock, GrowsInStepInAllChannels) {
    AudioBlock block(48000, 2);
    block.append_interleaved(std::vector<float>{1, -1, 2, -2, 3, -3});
    EXPECT_EQ(block.frames(), 3U);
    EXPECT_EQ(block[0][2], 3.0F);
    EXPECT_EQ(block[1][2], -3.0F);
    AudioBlock more(48000, {{4, 5, 6}, {-4, -5, -6}});
    block.append(more, 1, 2);
    EXPECT_EQ(block.frames(), 5U);
    EXPECT_EQ(block[0][3], 5.0F);
    EXPECT_EQ(block[1][4], -6.0F);
    block.drop_front(2);
    EXPECT_EQ(block.frames(), 3U);
    EXPECT_EQ(block[0][0], 3.0F);
    block.resize(4);
    EXPECT_EQ(block[1][3], 0.0F);  // what is new is silence
    block.clear();
    EXPECT_TRUE(block.empty());
    EXPECT_EQ(block.channels(), 2U);
    EXPECT_EQ(block.sample_rate(), 48000);
}

TEST(AudioBlock, GivesItsChannelsAway) {
    AudioBlock block(8000, {{1, 2}, {3, 4}});
    const std::span<const std::vector<float>> all = block;
    EXPECT_EQ(all.size(), 2U);
    const auto channels = block.take();
    EXPECT_EQ(channels, (std::vector<std::vector<float>>{{1, 2}, {3, 4}}));
    EXPECT_TRUE(block.empty());
}

}  // namespace
}  // namespace rivlen
