// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/play/player.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <thread>

#include "core/play/simulated_output.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

// So many frames of what a player plays, interleaved; fewer when it ends.
std::vector<float> take(Player& player, std::size_t frames) {
    SimulatedOutput output(player, SimulatedOutput::Pace::Driven, true);
    output.advance(frames);
    return output.take_kept();
}

struct Playing {
    Scratch scratch;
    std::shared_ptr<const Source> source =
        std::make_shared<const Source>(test::noise_source(scratch, 48000, 2, 3.0));
    std::shared_ptr<const MaskMap> map = std::make_shared<const MaskMap>(test::random_map(scratch, *source));
    Player player;
    Playing() {
        player.set_material(source, map);
        player.settle();
    }
};

TEST(Player, TheSourceArrivesSampleForSample) {
    Playing p;
    p.player.set_monitor(Monitor::Source);
    p.player.play();
    const auto heard = take(p.player, 9600);
    ASSERT_GE(heard.size(), 9600U * 2);
    const auto samples = p.source->samples();
    for (std::size_t i = 400; i < 9600 * 2; ++i) ASSERT_EQ(heard[i], samples[i]) << i;
}

TEST(Player, KeptAndRemovedAddUpToTheSource) {
    std::array<std::vector<float>, 2> heard;
    for (const auto monitor : {Monitor::Kept, Monitor::Removed}) {
        Playing p;
        ShapeSettings settings;
        settings.stems[0].solo = true;
        settings.stems[0].set(Setting::Isolation, 60);
        p.player.set_settings(settings);
        p.player.set_monitor(monitor);
        p.player.play();
        heard[monitor == Monitor::Kept ? 0 : 1] = take(p.player, 9600);
    }
    Playing p;
    const auto samples = p.source->samples();
    for (std::size_t i = 400; i < 9600 * 2; ++i)
        ASSERT_NEAR(heard[0][i] + heard[1][i], samples[i], 1e-6F) << i;
}

// A sine makes every gap and click visible as a jump between neighbours.
TEST(Player, SwitchingAndLoopingLeaveNoGap) {
    const Scratch scratch;
    std::vector<float> sine(48000 * 2);
    for (std::size_t i = 0; i < sine.size(); ++i)
        sine[i] = static_cast<float>(0.3 * std::sin(2 * M_PI * 200.0 * static_cast<double>(i) / 48000.0));
    test::write_wav(scratch / "sine.wav", {sine}, 48000);
    auto source = Source::bring_in(scratch / "sine.wav", scratch.folder());
    ASSERT_TRUE(source.ok());
    const auto shared = std::make_shared<const Source>(std::move(*source));
    const auto map = std::make_shared<const MaskMap>(test::random_map(scratch, *shared));
    Player player;
    player.set_material(shared, map);
    player.set_loop(LoopRange{4800, 14477});  // the seam is in the middle of a wave
    player.settle();
    player.play();
    std::vector<float> heard;
    for (const auto monitor : {Monitor::Kept, Monitor::Source, Monitor::Removed, Monitor::Source,
                               Monitor::Dialogue, Monitor::Source}) {
        player.set_monitor(monitor);
        const auto part = take(player, 6000);
        heard.insert(heard.end(), part.begin(), part.end());
    }
    ASSERT_GT(heard.size(), 60000U);
    float worst = 0;
    for (std::size_t i = 4; i < heard.size(); i += 2)
        worst = std::max(worst, std::abs(heard[i] - heard[i - 2]));
    // The sine's own steepest step is 0.3 * 2 pi * 200 / 48000 = 0.0079; a hard cut would jump by up to 0.6.
    EXPECT_LT(worst, 0.03F);
}

// The first sample that differs from what would have been played comes within 30 ms; the windows of the
// shaping go over into the new settings, which is done at 85 ms.
TEST(Player, AChangeIsHeardWithin30Ms) {
    const auto played = [](bool mute) {
        Playing p;
        p.player.set_monitor(Monitor::Kept);
        p.player.play();
        static_cast<void>(take(p.player, 9600));
        p.player.settle();  // as much as is wanted is ready
        ShapeSettings muted;
        for (auto& stem : muted.stems) stem.mute = mute;
        p.player.set_settings(muted);
        p.player.settle();
        return take(p.player, 4800);
    };
    const auto before = played(false);
    const auto after = played(true);
    const auto differs = std::ranges::mismatch(before, after).in1 - before.begin();
    EXPECT_LT(static_cast<double>(differs) / 2 / 48.0, 30.0);
    EXPECT_GT(static_cast<double>(differs) / 2 / 48.0, 10.0);
    std::size_t last = 0;  // that is still loud
    for (std::size_t i = 0; i < after.size(); ++i) {
        if (std::abs(after[i]) > 0.02F) last = i / 2;
    }
    EXPECT_LT(static_cast<double>(last) / 48.0, 85.0);
}

TEST(Player, StopsAtTheEndAndStartsAgain) {
    Playing p;
    p.player.locate(static_cast<std::int64_t>(p.source->frames()) - 3000);
    p.player.settle();
    p.player.play();
    (void)take(p.player, 3000);
    while (p.player.playing()) {
        std::vector<float> block(128);
        p.player.fill(block);
        std::this_thread::yield();
    }
    EXPECT_FALSE(p.player.playing());
    EXPECT_EQ(p.player.position(), static_cast<std::int64_t>(p.source->frames()));
    p.player.play();
    (void)take(p.player, 640);
    EXPECT_LT(p.player.position(), 3000);
    EXPECT_TRUE(p.player.playing());
}

}  // namespace
}  // namespace rivlen
