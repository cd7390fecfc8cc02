// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes of all layouts as they are heard: monitors, and changes of layout and monitor while playing.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/play/mix_player.h"
#include "core/play/simulated_output.h"
#include "core/project/editing.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

std::shared_ptr<const HeadResponses> measured_head() {
    static const auto head = std::make_shared<const HeadResponses>(
        std::move(HeadResponses::open(HeadResponses::standard_set(), test::kRate).value()));
    return head;
}

// A steady tone in Left surround, through one monitor and then the other: what lies between is a fade, no
// step.
TEST(SpaceMonitors, AreSwitchedWithoutAClick) {
    SwitchedSpaceMonitor monitor;
    monitor.take(std::make_unique<SpaceMonitor>(SpaceMonitor::fold_down(Layout::Surround51)));
    constexpr std::size_t kBlocks = 60;
    std::vector<float> left;
    AudioBlock in(test::kRate, 6, SpaceMonitor::kFrames),
        out(test::kRate, kMostDeviceChannels, SpaceMonitor::kFrames);
    for (std::size_t b = 0; b < kBlocks; ++b) {
        if (b == 20)
            monitor.take(std::make_unique<SpaceMonitor>(
                SpaceMonitor::headphones(Layout::Surround51, *measured_head())));
        if (b == 40)
            monitor.take(std::make_unique<SpaceMonitor>(SpaceMonitor::fold_down(Layout::Surround51)));
        for (std::size_t i = 0; i < SpaceMonitor::kFrames; ++i)
            in[4][i] = static_cast<float>(0.5 * std::sin(2 * std::numbers::pi * 200 *
                                                         static_cast<double>(b * SpaceMonitor::kFrames + i) /
                                                         test::kRate));
        monitor.process(in.view(), out.view());
        left.insert(left.end(), out[0].begin(), out[0].end());
    }
    // The tone's own second difference is at most 0.5 (2 pi 200 / 48000)^2 = 3.4e-4 times the head's gain.
    float steepest = 0;
    for (std::size_t i = 2; i < left.size(); ++i)
        steepest = std::max(steepest, std::abs(left[i] - 2 * left[i - 1] + left[i - 2]));
    EXPECT_LT(steepest, 0.02F);
    const auto part = [&](std::size_t block) {
        return energy_of(std::span(left).subspan(block * SpaceMonitor::kFrames, 8 * SpaceMonitor::kFrames));
    };
    EXPECT_NEAR(part(5), part(48), 0.02 * part(5));  // folded down before and after
    EXPECT_GT(std::abs(part(5) - part(28)), 0.05 * part(5));
}

struct PlayedSpace {
    test::Scratch scratch;
    Session session;
    MixMediaSet media;
    MixPlayer player;
    SimulatedOutput output{player, SimulatedOutput::Pace::Driven, true};

    PlayedSpace() {
        const auto source = std::make_shared<const Source>(test::noise_source(scratch, test::kRate, 1, 8));
        media["voice"] = {source, nullptr, test::kRate};
        session.timeline.sample_rate = test::kRate;
        place_clip(session.timeline, {"voice", 0, 8 * test::kRate, false, false, "Voice"}, ClipSource::Whole,
                   0);
        session.timeline.tracks[0].layout = Layout::Mono;
        session.timeline.tracks[0].strip.place.azimuth_deg = 90;
    }
    void play_in(Layout layout) {
        set_layout(session.timeline, session.timeline.main_bus(), layout);
        player.set_plan(std::make_shared<const MixPlan>(session, media));
        player.settle();
    }
    // Energies of both sides over half a second.
    std::pair<double, double> hear() {
        static_cast<void>(output.take_kept());
        output.advance(static_cast<std::size_t>(test::kRate / 2));
        std::pair<double, double> sides;
        const auto heard = output.take_kept();
        for (std::size_t i = 0; i + 1 < heard.size(); i += 2) {
            sides.first += std::pow(static_cast<double>(heard[i]), 2);
            sides.second += std::pow(static_cast<double>(heard[i + 1]), 2);
        }
        return sides;
    }
};

TEST(SpacePlaying, GoesOnWhileLayoutsAndListeningChange) {
    PlayedSpace space;
    space.play_in(Layout::Surround51);
    space.player.play();
    auto [left, right] = space.hear();
    EXPECT_GT(left, 10 * right);  // between Left and Left surround, folded down
    for (const Layout layout : {Layout::Surround714, Layout::Ambisonics3, Layout::Lcr}) {
        space.play_in(layout);
        EXPECT_TRUE(space.player.playing());
        std::tie(left, right) = space.hear();
        EXPECT_GT(left, 2 * right) << name_of(layout);
        EXPECT_TRUE(space.player.meters().momentary_lufs.has_value());
    }
    space.play_in(Layout::Surround714);
    space.player.set_monitoring(Monitoring::Headphones, measured_head());
    space.player.settle();
    std::tie(left, right) = space.hear();
    EXPECT_GT(left, 3 * right);
    EXPECT_GT(right, 1e-3 * left);  // around the head
    space.play_in(Layout::Stereo);
    std::tie(left, right) = space.hear();
    EXPECT_GT(right, 0.2 * left);
    EXPECT_EQ(space.player.drop_outs(), 0U);
}

// Every channel of the bus comes out of its own loudspeaker; of 7.1 where WAVE files have it.
TEST(SpaceMonitors, GiveTheDevicesLoudspeakersTheirChannels) {
    AudioBlock in(test::kRate, 8, SpaceMonitor::kFrames),
        out(test::kRate, kMostDeviceChannels, SpaceMonitor::kFrames);
    for (std::size_t c = 0; c < 8; ++c) in[c][0] = static_cast<float>(c + 1);
    SpaceMonitor::loudspeakers(Layout::Surround71, Layout::Surround71).process(in.view(), out.view());
    const std::array<float, kMostDeviceChannels> wanted = {1, 2, 3, 4, 7, 8, 5, 6};  // rears, then sides
    for (std::size_t c = 0; c < kMostDeviceChannels; ++c) EXPECT_EQ(out[c][0], wanted[c]) << c;
    // On 5.1 sides and rears share the surrounds.
    SpaceMonitor::loudspeakers(Layout::Surround71, Layout::Surround51).process(in.view(), out.view());
    EXPECT_EQ(out[2][0], 3);
    EXPECT_NEAR(out[4][0], std::sqrt(0.5) * (5 + 7), 1e-5);
    EXPECT_EQ(out[6][0], 0);
    EXPECT_EQ(layout_of_device(2), Layout::Stereo);
    EXPECT_EQ(layout_of_device(7), Layout::Surround51);
    EXPECT_EQ(layout_of_device(32), Layout::Surround714);
}

// A device of six channels while a 7.1.4 mix plays: fold-down leaves four of them silent, loudspeakers take
// all; what changes in between has no gap.
TEST(SpacePlaying, GoesToTheDevicesOwnChannels) {
    PlayedSpace space;
    SimulatedOutput device(space.player, SimulatedOutput::Pace::Driven, true, 6);
    space.session.timeline.tracks[0].strip.place.azimuth_deg = 125;
    space.play_in(Layout::Surround714);
    space.player.set_device(Layout::Surround51);
    space.player.settle();
    space.player.play();
    const auto energies = [&] {
        static_cast<void>(device.take_kept());
        EXPECT_EQ(device.advance(12000), 12000U);
        const auto heard = device.take_kept();
        EXPECT_EQ(heard.size(), 6 * 12000U);
        std::array<double, 6> out{};
        for (std::size_t i = 0; i < heard.size(); ++i)
            out[i % 6] += std::pow(static_cast<double>(heard[i]), 2);
        return out;
    };
    auto folded = energies();
    EXPECT_GT(folded[0], 0);
    EXPECT_EQ(folded[4], 0);
    space.player.set_monitoring(Monitoring::Loudspeakers, nullptr);
    space.player.settle();
    static_cast<void>(energies());  // what was ready
    const auto own = energies();
    EXPECT_EQ(own[0], 0);
    EXPECT_GT(own[4], 100 * own[5]);
    EXPECT_EQ(space.player.drop_outs(), 0U);
}

// A head at another rate than the session's would be heard at a wrong pitch: the mix is folded down until
// there is one.
TEST(SpacePlaying, AHeadOfAnotherRateIsNotUsed) {
    PlayedSpace space;
    space.play_in(Layout::Surround51);
    auto head = HeadResponses::open(HeadResponses::standard_set(), 96000);
    ASSERT_TRUE(head.ok());
    space.player.set_monitoring(Monitoring::Headphones,
                                std::make_shared<const HeadResponses>(std::move(*head)));
    space.player.settle();
    space.player.play();
    const auto [left, right] = space.hear();
    EXPECT_GT(left, 100 * right);
}

}  // namespace
}  // namespace rivlen
