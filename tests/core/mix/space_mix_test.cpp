// SPDX-License-Identifier: GPL-3.0-or-later
// Tracks and buses of all layouts, and where they are heard from.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/mix/engine.h"
#include "core/mix/placing_stage.h"
#include "core/project/editing.h"
#include "core/project/session.h"
#include "core/space/spherical_harmonics.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;

constexpr std::int64_t kSpaceFrames = 24000;

// A track for each recording, all into a main bus of a layout.
struct SpaceDesk {
    test::Scratch scratch;
    Session session;
    MixMediaSet media;

    explicit SpaceDesk(Layout main) {
        session.timeline.sample_rate = 48000;
        session.timeline.edge_fade_ms = session.timeline.joint_fade_ms = 0;
        session.timeline.buses.push_back({session.timeline.new_id(), "Main", {}, 0, main});
    }
    Timeline& r() { return session.timeline; }
    // Noise in so many channels; what the recording holds to the bit.
    Channels record(const std::string& name, std::size_t channels, Layout layout) {
        Channels noise;
        for (std::size_t c = 0; c < channels; ++c)
            noise.push_back(test::noise(kSpaceFrames, static_cast<unsigned>(c + 1)));
        test::write_wav(scratch / (name + ".wav"), noise, 48000);
        auto source = Source::bring_in(scratch / (name + ".wav"), scratch.folder());
        media[name] = {std::make_shared<const Source>(std::move(source.value())), nullptr, 48000};
        for (std::size_t c = 0; c < channels; ++c) media[name].source->read(static_cast<int>(c), 0, noise[c]);
        place_clip(r(), {name, 0, kSpaceFrames, false, false, name}, ClipSource::Whole, 0);
        r().tracks.back().layout = layout;
        EXPECT_TRUE(well_formed(r()));
        return noise;
    }
    [[nodiscard]] Channels mix(std::int64_t first = 0) const {
        Channels out(channels_of(session.timeline.main_layout()));
        const Status status =
            render_mix(std::make_shared<const MixPlan>(session, media), first, kSpaceFrames, {},
                       [&](std::int64_t, const AudioBlock& block) {
                           for (std::size_t c = 0; c < out.size(); ++c)
                               out[c].insert(out[c].end(), block[c].begin(), block[c].end());
                           return Status{};
                       });
        EXPECT_TRUE(status.ok());
        return out;
    }
};

// Gain of a sound in another, by least squares, and what is left of it.
struct SpaceFit {
    double gain = 0, rest = 0;
};
SpaceFit gain_in(std::span<const float> x, std::span<const float> y) {
    double xy = 0, xx = 0, rest = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        xy += static_cast<double>(x[i]) * static_cast<double>(y[i]);
        xx += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    }
    for (std::size_t i = 0; i < x.size(); ++i)
        rest = std::max(rest, std::abs(static_cast<double>(y[i]) - xy / xx * static_cast<double>(x[i])));
    return {xy / xx, rest};
}

TEST(SpaceMix, PlacesAMonoTrackAsThePannerSays) {
    for (const Layout layout : {Layout::Lcr, Layout::Surround51, Layout::Surround714}) {
        SpaceDesk stage(layout);
        const auto noise = stage.record("voice", 1, Layout::Mono);
        Strip& strip = stage.r().tracks[0].strip;
        strip.place = {-70, 15, 20, -6};
        strip.gain_db = -3;
        std::vector<double> gains(channels_of(layout));
        AmplitudePanner(layout).gains({-70, 15}, 20, gains);
        const auto out = stage.mix();
        for (std::size_t c = 0; c < out.size(); ++c) {
            const double placed = lfe_channel(layout) == c ? amplitude_of_db(-6) : gains[c];
            const SpaceFit f = gain_in(noise[0], out[c]);
            EXPECT_NEAR(f.gain, placed * amplitude_of_db(-3), 1e-5) << name_of(layout) << c;
            EXPECT_LT(f.rest, 1e-6);
        }
    }
}

TEST(SpaceMix, APlaceInAmbisonicsHasItsHarmonics) {
    SpaceDesk stage(Layout::Ambisonics3);
    const auto noise = stage.record("voice", 1, Layout::Mono);
    stage.r().tracks[0].strip.place.azimuth_deg = 120;
    stage.r().tracks[0].strip.place.elevation_deg = -25;
    std::vector<double> y(16);
    spherical_harmonics({120, -25}, y);
    auto out = stage.mix();
    for (std::size_t c = 0; c < 16; ++c) EXPECT_NEAR(gain_in(noise[0], out[c]).gain, y[c], 1e-5);
    stage.r().tracks[0].strip.place.spread_percent = 50;  // a half sphere
    const auto weights = cap_weights(3, 90);
    out = stage.mix();
    for (std::size_t c = 0; c < 16; ++c)
        EXPECT_NEAR(gain_in(noise[0], out[c]).gain,
                    y[c] * weights[static_cast<std::size_t>(order_of_channel(c))], 1e-5);
}

TEST(SpaceMix, AStereoTrackComesFromTheFrontPairUntilItIsMoved) {
    SpaceDesk stage(Layout::Surround51);
    const auto noise = stage.record("music", 2, Layout::Stereo);
    auto out = stage.mix();
    for (std::size_t c = 0; c < 6; ++c) {
        const auto& expected = c < 2 ? noise[c] : std::vector<float>(kSpaceFrames);
        for (std::size_t i = 0; i < expected.size(); i += 101)
            ASSERT_NEAR(out[c][i], expected[i], 1e-6F) << c;
    }
    // Turned round by 110 degrees and 80 wide: between 80 and 140.
    Strip& strip = stage.r().tracks[0].strip;
    strip.place.azimuth_deg = 110;
    std::vector<double> left(6), right(6);
    AmplitudePanner(Layout::Surround51).gains({140, 0}, 0, left);
    AmplitudePanner(Layout::Surround51).gains({80, 0}, 0, right);
    out = stage.mix();
    for (std::size_t c = 0; c < 6; ++c) {
        for (std::size_t i = 0; i < out[c].size(); i += 101)
            ASSERT_NEAR(
                static_cast<double>(out[c][i]),
                left[c] * static_cast<double>(noise[0][i]) + right[c] * static_cast<double>(noise[1][i]),
                1e-5);
    }
}

TEST(SpaceMix, AMonoTrackInStereoHasPanOfConstantPower) {
    SpaceDesk stage(Layout::Stereo);
    const auto noise = stage.record("voice", 1, Layout::Mono);
    for (const double pan : {-100.0, -40.0, 0.0, 100.0}) {
        stage.r().tracks[0].strip.pan_percent = pan;
        const auto out = stage.mix();
        const double angle = (pan + 100) / 200 * std::numbers::pi / 2;
        EXPECT_NEAR(gain_in(noise[0], out[0]).gain, std::cos(angle), 1e-5);
        EXPECT_NEAR(gain_in(noise[0], out[1]).gain, std::sin(angle), 1e-5);
    }
}

TEST(SpaceMix, ARecordingOfSixChannelsPassesItsTrackUnchanged) {
    SpaceDesk stage(Layout::Surround51);
    const auto noise = stage.record("bed", 6, Layout::Surround51);
    const auto out = stage.mix();
    for (std::size_t c = 0; c < 6; ++c) {
        for (std::size_t i = 0; i < out[c].size(); i += 101) ASSERT_EQ(out[c][i], noise[c][i]) << c;
    }
}

// ITU-R BS.775-3, annex 4, table 2 (from memory).
TEST(SpaceMix, ABedIsFoldedDownOnItsWayToAStereoBus) {
    SpaceDesk stage(Layout::Stereo);
    const auto noise = stage.record("bed", 6, Layout::Surround51);
    const auto out = stage.mix();
    const double h = std::numbers::sqrt2 / 2;
    for (std::size_t i = 0; i < out[0].size(); i += 101) {
        const auto at = [&](std::size_t c) { return static_cast<double>(noise[c][i]); };
        ASSERT_NEAR(static_cast<double>(out[0][i]), at(0) + h * at(2) + h * at(4), 1e-5);
        ASSERT_NEAR(static_cast<double>(out[1][i]), at(1) + h * at(2) + h * at(5), 1e-5);
    }
}

TEST(SpaceMix, BusesOfOtherLayoutsAndSendsAreBroughtToWhereTheyGo) {
    SpaceDesk stage(Layout::Surround51);
    const auto noise = stage.record("voice", 1, Layout::Mono);
    const int room = add_bus(stage.r(), "Room");
    EXPECT_EQ(stage.r().layout_of(room), Layout::Surround51);
    stage.r().buses[1].layout = Layout::Stereo;
    stage.r().tracks[0].strip.place.azimuth_deg = 110;
    add_send(stage.r(), stage.r().tracks[0].id, room);
    ASSERT_TRUE(well_formed(stage.r()));
    auto out = stage.mix();
    // Behind the fader the voice is in Left surround; on its way to the stereo bus it becomes Left at -3 dB,
    // and is placed in front again.
    EXPECT_NEAR(gain_in(noise[0], out[4]).gain, 1, 1e-5);
    EXPECT_NEAR(gain_in(noise[0], out[0]).gain, std::numbers::sqrt2 / 2, 1e-4);
    EXPECT_NEAR(gain_in(noise[0], out[1]).gain, 0, 1e-4);
    stage.r().tracks[0].strip.sends[0].before_fader = true;  // from the middle
    out = stage.mix();
    EXPECT_NEAR(gain_in(noise[0], out[0]).gain, std::numbers::sqrt2 / 2, 1e-4);
    EXPECT_NEAR(gain_in(noise[0], out[1]).gain, std::numbers::sqrt2 / 2, 1e-4);
}

TEST(SpaceMix, APlaceFollowsItsLineAroundTheBackWithoutAStep) {
    SpaceDesk stage(Layout::Surround71);
    test::write_wav(stage.scratch / "tone.wav", {{std::vector<float>(kSpaceFrames)}}, 48000);
    stage.record("voice", 1, Layout::Mono);
    Strip& strip = stage.r().tracks[0].strip;
    // From 150 degrees left over the back to 150 right: on beyond 180.
    set_points(strip, {LaneTarget::Azimuth, 0, 0, {}}, {{0, 150}, {kSpaceFrames, 210}});
    const auto noise = [&] {
        std::vector<float> x(kSpaceFrames);
        stage.media["voice"].source->read(0, 0, x);
        return x;
    }();
    const auto out = stage.mix();
    std::vector<double> gains(8);
    const AmplitudePanner panner(Layout::Surround71);
    for (std::size_t i = 64; i < out[0].size(); i += 640) {  // on the grid
        panner.gains({150 + 60.0 * static_cast<double>(i) / kSpaceFrames, 0}, 0, gains);
        for (std::size_t c = 0; c < 8; ++c)
            ASSERT_NEAR(static_cast<double>(out[c][i]), gains[c] * static_cast<double>(noise[i]), 1e-4)
                << i << " " << c;
    }
    // Begun in the middle it is the same.
    const auto later = stage.mix(10000);
    for (std::size_t c = 0; c < 8; ++c) {
        for (std::size_t i = 0; i < later[c].size(); i += 37)
            ASSERT_NEAR(later[c][i], out[c][i + 10000], 1e-5F);
    }
}

// A steady tone whose place jumps: what lies 20 Hz and more beside it stays 60 dB below (common practice, no
// source).
TEST(SpaceMix, AMovedPlaceGlides) {
    PlacingStage stage(Layout::Mono, Layout::Surround51, 48000);
    Strip strip;
    strip.place.azimuth_deg = 30;
    stage.seek(strip, true, 0);
    std::vector<float> tone(48000);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] =
            static_cast<float>(0.5 * std::sin(2 * std::numbers::pi * 100 * static_cast<double>(i) / 48000));
    Channels out(6, std::vector<float>(tone.size()));
    for (std::size_t at = 0; at < tone.size(); at += 256) {
        if (at >= 24000) strip.place.azimuth_deg = -110;
        const std::size_t count = std::min<std::size_t>(256, tone.size() - at);
        stage.apply(strip, true, static_cast<std::int64_t>(at), {std::span(tone).subspan(at, count)},
                    ChannelBlock(out, tone.size()).subblock(at, count));
    }
    EXPECT_NEAR(out[0][1000], tone[1000], 1e-6F);
    EXPECT_NEAR(out[5][47000], tone[47000], 1e-5F);
    for (const auto& channel : out) {
        float highest = 0;
        for (std::size_t i = 2; i < channel.size(); ++i)
            highest = std::max(highest, std::abs(channel[i] - 2 * channel[i - 1] + channel[i - 2]));
        // The tone's own second difference is 0.5 (2 pi 100 / 48000)^2 = 8.6e-5; a jump would make 0.5.
        EXPECT_LT(highest, 4e-3F);
    }
}

TEST(SpaceMix, MutedAndSoloedAsEveryTrack) {
    SpaceDesk stage(Layout::Surround51);
    const auto noise = stage.record("voice", 1, Layout::Mono);
    set_points(stage.r().tracks[0].strip, {LaneTarget::Mute, 0, 0, {}}, {{0, 0}, {12000, 0}, {12001, 1}});
    const auto out = stage.mix();
    EXPECT_NEAR(out[2][6000], noise[0][6000], 1e-6F);
    EXPECT_EQ(out[2][20000], 0);
    stage.r().tracks[0].strip.lines.clear();
    stage.r().tracks[0].strip.mute = true;
    for (const auto& channel : stage.mix()) EXPECT_EQ(energy_of(channel), 0);
}

TEST(SpaceMix, StripsMeterEveryChannel) {
    SpaceDesk stage(Layout::Surround51);
    stage.record("voice", 1, Layout::Mono);
    stage.r().tracks[0].strip.place.azimuth_deg = 110;
    const auto plan = std::make_shared<const MixPlan>(stage.session, stage.media);
    ASSERT_TRUE(
        render_mix(plan, 0, kSpaceFrames, {}, [](std::int64_t, const AudioBlock&) { return Status{}; }).ok());
    const StripMeter& meter = *plan->meter(stage.r().main_bus());
    EXPECT_GT(meter.channel_peaks[4].load(), 0.1F);
    EXPECT_LT(meter.channel_peaks[0].load(), 1e-4F);
    EXPECT_EQ(meter.peak.load(), meter.channel_peaks[4].load());
}

TEST(SpaceSessions, KeepLayoutsPlacesAndTheirLines) {
    SpaceDesk stage(Layout::Surround714);
    stage.record("voice", 1, Layout::Mono);
    Strip& strip = stage.r().tracks[0].strip;
    strip.place = {-200, 45, 12.5, -18};
    set_points(strip, {LaneTarget::Azimuth, 0, 0, {}}, {{0, 10}, {4800, -190}});
    set_points(strip, {LaneTarget::Elevation, 0, 0, {}}, {{0, -10}});
    set_points(strip, {LaneTarget::Spread, 0, 0, {}}, {{0, 50}});
    set_points(strip, {LaneTarget::Lfe, 0, 0, {}}, {{0, -12}});
    stage.r().fold_down.surround_db = -6;
    stage.r().fold_down.lfe_db = -10;
    stage.r().decoder = DecoderWeights::Basic;
    const auto file = stage.scratch / "space.rivlen";
    ASSERT_TRUE(save_session(stage.session, file).ok());
    const auto read = load_session(file);
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(read->timeline.tracks[0].strip, strip);
    EXPECT_EQ(read->timeline.tracks[0].layout, Layout::Mono);
    EXPECT_EQ(read->timeline.main_layout(), Layout::Surround714);
    EXPECT_EQ(read->timeline.conversion_settings(), stage.r().conversion_settings());
}

// Noise twice is turned down, filtered and repaired as noise once: parts that listen to all channels hear no
// more.
TEST(WideChains, WorkOnSixChannelsAsOnTwo) {
    const auto left = test::noise(24000, 7), right = test::noise(24000, 8);
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const auto kind = static_cast<EffectType>(k);
        if (kind == EffectType::Reverb) continue;  // its room has more sides then
        Insert part = make_part(kind, 1);
        for (std::size_t v = 0; v < part.values.size(); ++v) {
            const ParameterInfo& p = info(kind).parameters[v];
            part.values[v] = p.lowest + 0.4 * (p.highest - p.lowest);
        }
        Chain two(std::span(&part, 1), 48000, 2), six(std::span(&part, 1), 48000, 6);
        Channels a = {left, right}, b = {left, right, left, right, left, right};
        two.process(ChannelBlock(a, left.size()));
        six.process(ChannelBlock(b, left.size()));
        for (std::size_t c = 0; c < 6; ++c) {
            for (std::size_t i = 0; i < left.size(); i += 7)
                ASSERT_NEAR(b[c][i], a[c % 2][i], 1e-3F) << info(kind).key << c;
        }
    }
}

// A limiter on a bed turns all channels down together.
TEST(WideChains, ALimiterKeepsTheImageOfABed) {
    Insert part = make_part(EffectType::Limiter, 1);
    Chain chain(std::span(&part, 1), 48000, 6);
    Channels x(6, std::vector<float>(9600, 0.01F));
    for (std::size_t i = 4800; i < 9600; ++i) x[4][i] = (i / 24) % 2 == 0 ? 1.6F : -1.6F;
    chain.process(ChannelBlock(x, 9600));
    EXPECT_NEAR(x[0][4000], 0.01F, 1e-6F);
    EXPECT_LT(x[0][9000], 0.007F);
    EXPECT_EQ(x[0][9000], x[5][9000]);
}

TEST(WideChains, ARoomHasAnotherSideForEachOfEightChannels) {
    Insert part = make_part(EffectType::Reverb, 1);
    Chain chain(std::span(&part, 1), 48000, 8);
    Channels x(8, std::vector<float>(48000));
    x[0][0] = 1;
    chain.process(ChannelBlock(x, 48000));
    for (std::size_t a = 0; a < 8; ++a) {
        x[a][0] = 0;
        EXPECT_GT(energy_of(x[a]), 1e-4) << a;
        for (std::size_t b = 0; b < a; ++b) {
            double both = 0;
            for (std::size_t i = 0; i < 48000; ++i)
                both += static_cast<double>(x[a][i]) * static_cast<double>(x[b][i]);
            EXPECT_LT(std::abs(both) / std::sqrt(energy_of(x[a]) * energy_of(x[b])), 0.5) << a << " " << b;
        }
    }
}

}  // namespace
}  // namespace rivlen
