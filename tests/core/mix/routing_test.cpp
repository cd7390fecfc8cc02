// SPDX-License-Identifier: GPL-3.0-or-later
// Where tracks and buses go: sends, buses into buses, and sides between left and right.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/mix/engine.h"
#include "core/project/editing.h"
#include "core/project/session.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;

constexpr std::int64_t kRouted = 48000;

// One track that plays a second of stereo noise, and two buses beside the main bus.
struct Desk {
    test::Scratch scratch;
    Session session;
    MixMediaSet media;
    std::shared_ptr<const Source> source;
    int track, first, second;
    Channels noise{test::noise(kRouted, 1), test::noise(kRouted, 2)};

    Desk() {
        test::write_wav(scratch / "noise.wav", noise, 48000);
        source = std::make_shared<const Source>(
            std::move(Source::bring_in(scratch / "noise.wav", scratch.folder()).value()));
        media["noise"] = {source, nullptr, 48000};
        session.timeline.sample_rate = 48000;
        session.timeline.edge_fade_ms = session.timeline.joint_fade_ms = 0;
        place_clip(session.timeline, {"noise", 0, kRouted, false, false, "Noise"}, ClipSource::Whole, 0);
        for (std::size_t c = 0; c < 2; ++c) source->read(static_cast<int>(c), 0, noise[c]);
        track = r().tracks[0].id;
        first = add_bus(r(), "First");
        second = add_bus(r(), "Second");
    }
    Timeline& r() { return session.timeline; }
    Strip& strip() { return r().tracks[0].strip; }
    Strip& bus(int id) { return *r().strip(id); }
    [[nodiscard]] Channels mix(std::int64_t first_frame = 0) const {
        Channels out(2);
        const Status status =
            render_mix(std::make_shared<const MixPlan>(session, media), first_frame, kRouted, {},
                       [&](std::int64_t, auto block) {
                           for (std::size_t c = 0; c < 2; ++c)
                               out[c].insert(out[c].end(), block[c].begin(), block[c].end());
                           return Status{};
                       });
        EXPECT_TRUE(status.ok());
        return out;
    }
    // Of a mix against the noise.
    [[nodiscard]] double level_db(const Channels& x) const {
        return db_of_power((energy_of(x[0]) + energy_of(x[1])) / (energy_of(noise[0]) + energy_of(noise[1])));
    }
};

TEST(Routing, ASendAddsToABus) {
    Desk desk;
    add_send(desk.r(), desk.track, desk.first);
    ASSERT_TRUE(well_formed(desk.r()));
    EXPECT_NEAR(desk.level_db(desk.mix()), 6.02, 0.01);  // directly and through the bus
    desk.strip().sends[0].level_db = -20;
    EXPECT_NEAR(desk.level_db(desk.mix()), db_of_amplitude(1.1), 0.01);
    desk.strip().sends[0].on = false;
    EXPECT_EQ(desk.mix(), desk.noise);
}

// The fader at -20 dB: a send behind it falls with it, one before it stays; both fall silent with the mute.
TEST(Routing, SendsBeforeAndBehindTheFader) {
    Desk desk;
    add_send(desk.r(), desk.track, desk.first);
    desk.strip().gain_db = -20;
    EXPECT_NEAR(desk.level_db(desk.mix()), -20 + 6.02, 0.01);
    desk.strip().sends[0].before_fader = true;
    EXPECT_NEAR(desk.level_db(desk.mix()), db_of_amplitude(1.1), 0.01);
    desk.strip().pan_percent = -100;
    const Channels panned = desk.mix();
    EXPECT_NEAR(db_of_power(energy_of(panned[1]) / energy_of(desk.noise[1])), 0,
                0.01);  // the send is not panned
    desk.strip().mute = true;
    EXPECT_LT(desk.level_db(desk.mix()), -100);
}

TEST(Routing, ALineMovesASend) {
    Desk desk;
    add_send(desk.r(), desk.track, desk.first);
    desk.bus(desk.first).polarity_inverted = true;
    const StripLane line{LaneTarget::Send, desk.first, 0, {}};
    put_point(desk.strip(), line, {0, kLowestGainDb});
    put_point(desk.strip(), line, {kRouted / 2, kLowestGainDb});
    put_point(desk.strip(), line, {kRouted / 2 + 1, 0});
    EXPECT_TRUE(well_formed(desk.r()));
    const Channels mix = desk.mix();
    EXPECT_EQ(mix[0][1000], desk.noise[0][1000]);
    EXPECT_NEAR(mix[0][40000], 0, 1e-6F);  // what is sent takes it away
    remove_send(desk.strip(), desk.first);
    EXPECT_TRUE(desk.strip().lines.empty());
    EXPECT_TRUE(well_formed(desk.r()));
}

// Ways of different latencies stay together: a bus with a limiter that does nothing, flipped, takes away what
// comes directly, to the bit; behind another bus with another latency, too, and from the middle as from the
// start.
TEST(Routing, NoWayIsLate) {
    Desk desk;
    add_send(desk.r(), desk.track, desk.first);
    for (auto& channel : desk.noise) {
        for (float& x : channel) x *= 0.5F;
    }
    desk.strip().gain_db = -12;
    auto limiter = make_part(EffectType::Limiter, desk.r().new_id());
    desk.bus(desk.first).chain = {limiter};
    desk.bus(desk.first).polarity_inverted = true;
    EXPECT_LT(desk.level_db(desk.mix()), -119);
    auto hiss = make_part(EffectType::Hiss, desk.r().new_id());
    hiss.on = false;
    desk.bus(desk.second).chain = {hiss};
    route_bus(desk.r(), desk.first, desk.second);
    ASSERT_EQ(desk.r().buses[1].bus, desk.second);
    EXPECT_LT(desk.level_db(desk.mix()), -119);
    desk.bus(desk.first).polarity_inverted = false;
    const Channels whole = desk.mix();
    const Channels later = desk.mix(20011);
    for (std::size_t i = 0; i < later[0].size(); ++i) ASSERT_EQ(later[0][i], whole[0][20011 + i]) << i;
}

TEST(Routing, NoBusReachesItself) {
    Desk desk;
    const int main = desk.r().main_bus();
    EXPECT_TRUE(may_go_to(desk.r(), desk.first, desk.second));
    EXPECT_FALSE(may_go_to(desk.r(), desk.first, desk.first));
    EXPECT_FALSE(may_go_to(desk.r(), main, desk.first));
    EXPECT_FALSE(may_go_to(desk.r(), desk.first, 12345));
    route_bus(desk.r(), desk.first, desk.second);
    EXPECT_FALSE(may_go_to(desk.r(), desk.second, desk.first));
    route_bus(desk.r(), desk.second, desk.first);  // does nothing
    EXPECT_EQ(desk.r().buses[2].bus, main);
    ASSERT_TRUE(well_formed(desk.r()));
    desk.r().tracks[0].bus = desk.first;
    desk.bus(desk.first).gain_db = desk.bus(desk.second).gain_db = -6;
    EXPECT_NEAR(desk.level_db(desk.mix()), -12, 0.01);
    add_send(desk.r(), desk.track, desk.second);
    remove_bus(desk.r(), desk.second);
    EXPECT_EQ(desk.r().buses[1].bus, main);
    EXPECT_TRUE(desk.strip().sends.empty());
    EXPECT_TRUE(well_formed(desk.r()));
    // A file may say anything.
    desk.r().buses[1].bus = desk.first;
    EXPECT_FALSE(well_formed(desk.r()));
    normalise(desk.r());
    EXPECT_TRUE(well_formed(desk.r()));
    desk.strip().sends = {{desk.first, 0, false, true}, {desk.first, 3, false, true}, {999, 0, false, true}};
    EXPECT_FALSE(well_formed(desk.r()));
    normalise(desk.r());
    EXPECT_EQ(desk.strip().sends.size(), 1U);
}

TEST(Routing, LivesInTheSession) {
    Desk desk;
    add_send(desk.r(), desk.track, desk.first);
    desk.strip().sends[0] = {desk.first, -7.5, true, false};
    put_point(desk.strip(), {LaneTarget::Send, desk.first, 0, {}}, {100, -3});
    put_point(desk.strip(), {LaneTarget::Width, 0, 0, {}}, {100, 40});
    route_bus(desk.r(), desk.first, desk.second);
    desk.strip().pan_law = PanLaw::Sides;
    desk.strip().width_percent = -30;
    const auto file = desk.scratch / "desk.rivlen";
    ASSERT_TRUE(save_session(desk.session, file).ok());
    const auto read = load_session(file);
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(read->timeline.tracks[0].strip, desk.strip());
    EXPECT_EQ(read->timeline.buses, desk.r().buses);
}

// Constant power: wherever a side is put it keeps its power, and where both are far out nothing changes.
TEST(Pan, PlacesBothSides) {
    Desk desk;
    desk.strip().pan_law = PanLaw::Sides;
    EXPECT_EQ(desk.mix(), desk.noise);
    const auto share_db = [&](std::size_t side, const Channels& x) {
        return db_of_power(energy_of(x[side]) / (energy_of(x[0]) + energy_of(x[1])));
    };
    for (const double pan : {-100.0, -40.0, 0.0, 70.0}) {
        desk.strip().width_percent = 0;  // both at one place
        desk.strip().pan_percent = pan;
        const Channels mix = desk.mix();
        const double angle = (pan + 100) / 200 * std::numbers::pi / 2;
        EXPECT_NEAR(desk.level_db(mix), 0, 0.05) << pan;  // left and right are not alike
        if (pan > -100) {
            EXPECT_NEAR(share_db(1, mix), db_of_power(std::sin(angle) * std::sin(angle)), 0.05) << pan;
        }
    }
    desk.strip().pan_percent = 0;
    desk.strip().width_percent = -100;
    const Channels turned = desk.mix();
    for (std::size_t i = 0; i < turned[0].size(); i += 100) {
        ASSERT_NEAR(turned[0][i], desk.noise[1][i], 1e-6F);
        ASSERT_NEAR(turned[1][i], desk.noise[0][i], 1e-6F);
    }
    // Balance only turns the sides against each other.
    desk.strip().pan_law = PanLaw::Balance;
    desk.strip().pan_percent = -100;
    const Channels left = desk.mix();
    EXPECT_LT(energy_of(left[1]), 1e-6);
    EXPECT_NEAR(db_of_power(energy_of(left[0]) / energy_of(desk.noise[0])), 3.01, 0.01);
}

}  // namespace
}  // namespace rivlen
