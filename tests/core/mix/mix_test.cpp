// SPDX-License-Identifier: GPL-3.0-or-later
// The mix engine: sums, levels, chains, ducking, lines, and that it plays the same however it is asked.
#include <ebur128.h>
#include <gtest/gtest.h>

#include <array>
#include <chrono>
#include <cmath>
#include <numbers>
#include <thread>

#include "core/dsp/decibels.h"
#include "core/dsp/interleave.h"
#include "core/effects/cut_filter.h"
#include "core/effects/limiter.h"
#include "core/metering/loudness.h"
#include "core/mix/ducking.h"
#include "core/mix/engine.h"
#include "core/play/mix_player.h"
#include "core/play/simulated_output.h"
#include "core/project/editing.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;
using test::Scratch;

using test::kRate;
constexpr std::int64_t kFrames = 3 * kRate;

struct Material {
    Scratch scratch;
    Session session;
    MixMediaSet media;
    std::shared_ptr<const Source> source;

    explicit Material(int channels = 2) {
        source = std::make_shared<const Source>(test::noise_source(scratch, kRate, channels, 3.0));
        auto map = std::make_shared<const MaskMap>(test::random_map(scratch, *source));
        media["talk"] = {source, map, kRate};
        session.items.push_back({"talk", "", {}, {}, true});
        session.timeline.sample_rate = kRate;
        place_stems(session.timeline, {"talk", 0, kFrames, true, false, ""});
    }
    void add_tone(double amplitude, double hz, std::int64_t at, std::int64_t length) {
        Channels tone(2, std::vector<float>(static_cast<std::size_t>(length)));
        for (std::size_t i = 0; i < tone[0].size(); ++i) {
            const double x = amplitude * std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / kRate);
            tone[0][i] = tone[1][i] = static_cast<float>(x);
        }
        const auto file = scratch / "tone.wav";
        test::write_wav(file, tone, kRate);
        auto tone_source = Source::bring_in(file, scratch.folder());
        EXPECT_TRUE(tone_source.ok());
        media["tone"] = {std::make_shared<const Source>(std::move(*tone_source)), nullptr, kRate};
        place_clip(session.timeline, {"tone", at, length, false, false, "Tone"}, ClipSource::Whole, 0);
    }
    [[nodiscard]] Timeline& r() { return session.timeline; }
    [[nodiscard]] std::shared_ptr<const MixPlan> plan() const {
        return std::make_shared<const MixPlan>(session, media);
    }
    // Of a track or bus, and the mix.
    [[nodiscard]] Channels mix(std::int64_t first = 0, std::int64_t last = kFrames) const {
        Channels out(2);
        const Status status = render_mix(plan(), first, last, {}, [&](std::int64_t, auto block) {
            for (std::size_t c = 0; c < 2; ++c) out[c].insert(out[c].end(), block[c].begin(), block[c].end());
            return Status{};
        });
        EXPECT_TRUE(status.ok());
        return out;
    }
};

double farthest(const Channels& a, const Channels& b) {
    double most = 0;
    for (std::size_t c = 0; c < a.size(); ++c) {
        for (std::size_t i = 0; i < a[c].size(); ++i)
            most = std::max(most, std::abs(static_cast<double>(a[c][i]) - static_cast<double>(b[c][i])));
    }
    return most;
}
double level_db(const std::vector<float>& x, std::size_t from, std::size_t count) {
    return db_of_power(energy_of(std::span(x).subspan(from, count)) / static_cast<double>(count));
}

TEST(Mix, StemsInTheMiddleAddUpToTheirSource) {
    for (const int channels : {1, 2}) {
        const Material m(channels);
        const Channels mix = m.mix();
        Channels source(2, std::vector<float>(static_cast<std::size_t>(kFrames)));
        for (std::size_t c = 0; c < 2; ++c)
            m.source->read(std::min<int>(static_cast<int>(c), channels - 1), 0, source[c]);
        EXPECT_LT(20 * std::log10(farthest(mix, source)), -110);
    }
}

TEST(Mix, DoesNotDependOnBlocksOrOnWhereItBegan) {
    Material m;
    m.r().tracks[0].strip.chain = {make_part(EffectType::Limiter, m.r().new_id())};
    m.r().tracks[1].strip.gain_db = -3;
    const Channels whole = m.mix();
    MixEngine engine(m.plan());
    Channels pieces(2);
    const std::array<std::size_t, 5> sizes = {1, 333, 64, 4096, 1000};
    for (std::size_t i = 0; std::ssize(pieces[0]) < kFrames; ++i) {
        const auto count =
            std::min<std::size_t>(sizes[i % 5], static_cast<std::size_t>(kFrames) - pieces[0].size());
        Channels block(2, std::vector<float>(count));
        engine.next({block[0], block[1]});
        for (std::size_t c = 0; c < 2; ++c)
            pieces[c].insert(pieces[c].end(), block[c].begin(), block[c].end());
    }
    EXPECT_EQ(pieces, whole);
    m.r().tracks[0].strip.chain.clear();  // without memory in the chain, from anywhere
    const Channels plain = m.mix();
    const Channels from = m.mix(77777, kFrames);
    const Channels part = {{plain[0].begin() + 77777, plain[0].end()},
                           {plain[1].begin() + 77777, plain[1].end()}};
    EXPECT_EQ(from, part);
}

TEST(Mix, AChainThatLooksAheadShiftsNothing) {
    Material m;
    const Channels plain = m.mix();
    auto limiter = make_part(EffectType::Limiter, m.r().new_id());
    limiter[parameter::kLimiterCeilingDb] = 0;
    m.r().tracks[2].strip.chain = {limiter, limiter};
    m.r().tracks[2].strip.chain[1].id = m.r().new_id();
    m.r().buses[0].strip.chain = {limiter};
    m.r().buses[0].strip.chain[0].id = m.r().new_id();
    const Channels delayed = m.mix();  // -20 dBFS of noise never reaches the ceiling
    EXPECT_LT(20 * std::log10(farthest(delayed, plain)), -110);
}

TEST(Mix, GainsPanMuteSoloAndPhase) {
    Material m;
    m.add_tone(0.25, 1000, 0, kFrames);
    for (std::size_t t = 0; t < 4; ++t) m.r().tracks[t].strip.mute = true;
    Strip& tone = m.r().tracks[4].strip;
    const Channels plain = m.mix();
    EXPECT_NEAR(level_db(plain[0], 4800, 96000), 20 * std::log10(0.25) - 3.0103, 0.01);
    tone.gain_db = -6;
    m.r().buses[0].strip.gain_db = -4;
    EXPECT_NEAR(level_db(m.mix()[1], 4800, 96000) - level_db(plain[1], 4800, 96000), -10, 1e-3);
    tone.gain_db = m.r().buses[0].strip.gain_db = 0;
    for (const double pan : {-100.0, -37.0, 0.0, 60.0, 100.0}) {  // constant power
        tone.pan_percent = pan;
        const Channels panned = m.mix();
        double power = 0;
        for (const auto& side : panned) power += energy_of(side);
        EXPECT_NEAR(power / (energy_of(plain[0]) + energy_of(plain[1])), 1, 1e-5) << pan;
        if (pan == -100) {
            EXPECT_LT(energy_of(panned[1]), 1e-9);
        }
    }
    tone.pan_percent = 0;
    tone.polarity_inverted = true;
    const Channels flipped = m.mix();
    EXPECT_EQ(flipped[0][5000], -plain[0][5000]);
    tone.polarity_inverted = false;
    m.r().tracks[0].strip.mute = false;
    m.r().tracks[4].strip.solo = true;
    EXPECT_EQ(m.mix(), plain);
    m.r().tracks[4].strip.solo = false;
    m.r().tracks[0].strip.solo = true;
    EXPECT_GT(farthest(m.mix(), plain), 0.01);
}

TEST(Mix, ClipsFadeMuteAndCarryTheirCards) {
    Material m;
    m.add_tone(0.5, 1000, 1000, 48000);
    for (std::size_t t = 0; t < 4; ++t) m.r().tracks[t].strip.mute = true;
    const int id = m.r().tracks[4].clips[0].id;
    set_fade(m.r(), id, true, {9600, FadeShape::Linear});
    set_clip_gain(m.r(), std::array{id}, -6.0206);
    const Channels mix = m.mix();
    EXPECT_EQ(mix[0][999], 0.0F);
    // Half way through a linear fade of half the amplitude: a quarter.
    float peak = 0;
    for (std::size_t i = 5800 - 48; i < 5800 + 48; ++i) peak = std::max(peak, std::abs(mix[0][i]));
    EXPECT_NEAR(peak, 0.25F * 0.5F, 0.002F);
    EXPECT_EQ(mix[0][1000 + 48000], 0.0F);
    m.r().clip(id)->mute = true;
    EXPECT_EQ(energy_of(m.mix()[0]), 0.0);
    // A card with isolation 0 % lets everything of the source through the dialogue track.
    Card card;
    card.settings.stems[0].set(Setting::Isolation, 0);
    m.session.items[0].cards[2] = card;
    m.r().tracks[0].strip.mute = false;
    const Channels isolated = m.mix();
    m.r().tracks[0].card = 2;
    const Channels open = m.mix();
    EXPECT_GT(energy_of(open[0]), 1.5 * energy_of(isolated[0]));
    m.r().tracks[0].card = kTunedSettings;
    m.r().tracks[0].clips[0].card = 2;  // its own
    EXPECT_EQ(m.mix(), open);
}

TEST(Mix, LinesAreFollowedToTheSample) {
    Material m;
    m.add_tone(0.25, 1000, 0, kFrames);
    for (std::size_t t = 0; t < 4; ++t) m.r().tracks[t].strip.mute = true;
    const Channels plain = m.mix();
    Strip& tone = m.r().tracks[4].strip;
    const StripLane gain{LaneTarget::Gain, 0, 0, {}};
    put_point(tone, gain, {10000, 0});
    put_point(tone, gain, {20000, -20});
    const Channels lined = m.mix();
    for (const std::size_t i : {9000U, 12345U, 15000U, 19990U, 50000U}) {
        const double db = value_at(tone, gain, i);
        EXPECT_NEAR(lined[0][i], plain[0][i] * amplitude_of_db(db), 1e-6) << i;
    }
    tone.lines.clear();
    const StripLane mute{LaneTarget::Mute, 0, 0, {}};
    put_point(tone, mute, {20000, 0});
    put_point(tone, mute, {20001, 1});
    put_point(tone, mute, {40000, 1});
    put_point(tone, mute, {40001, 0});
    const Channels muted = m.mix();
    EXPECT_EQ(muted[0][19000], plain[0][19000]);
    EXPECT_EQ(energy_of(std::span(muted[0]).subspan(20300, 19000)), 0.0);
    EXPECT_EQ(muted[0][41000], plain[0][41000]);
    // A high-pass whose frequency passes the tone.
    tone.lines.clear();
    tone.chain = {make_part(EffectType::HighPass, m.r().new_id())};
    put_point(tone, {LaneTarget::Part, tone.chain[0].id, 0, {}}, {0, 20});
    put_point(tone, {LaneTarget::Part, tone.chain[0].id, 0, {}}, {kFrames, 1000});
    const Channels swept = m.mix();
    EXPECT_NEAR(level_db(swept[0], 4800, 4800), level_db(plain[0], 4800, 4800), 0.1);
    EXPECT_NEAR(level_db(swept[0], 139000, 4800), level_db(plain[0], 139000, 4800) - 2.8,
                0.4);  // -3 dB at the edge
}

TEST(Mix, BusesSumWhatGoesToThem) {
    Material m;
    const Channels plain = m.mix();
    const int bus = add_bus(m.r(), "Beds");
    m.r().tracks[2].bus = m.r().tracks[3].bus = bus;
    EXPECT_LT(20 * std::log10(farthest(m.mix(), plain)), -110);
    m.r().strip(bus)->mute = true;
    Material alone;
    alone.r().tracks[2].strip.mute = alone.r().tracks[3].strip.mute = true;
    EXPECT_LT(20 * std::log10(farthest(m.mix(), alone.mix())), -110);
}

TEST(Mix, EditsWhilePlayingGlideInsteadOfClicking) {
    Material m;
    m.add_tone(0.5, 50, 0, kFrames);
    for (std::size_t t = 0; t < 4; ++t) m.r().tracks[t].strip.mute = true;
    MixEngine engine(m.plan());
    Channels block(2, std::vector<float>(4800));
    engine.next({block[0], block[1]});
    const float before = block[0].back();
    m.r().tracks[4].strip.gain_db = -40;
    EXPECT_FALSE(engine.set_plan(m.plan()));
    engine.next({block[0], block[1]});
    double jump = std::abs(static_cast<double>(block[0][0] - before));
    for (std::size_t i = 1; i < 4800; ++i)
        jump =
            std::max(jump, std::abs(static_cast<double>(block[0][i]) - static_cast<double>(block[0][i - 1])));
    EXPECT_LT(jump, 0.02);
    EXPECT_LT(std::abs(block[0][4790]), 0.006F);
    m.r().tracks[4].strip.chain = {make_part(EffectType::Gain, m.r().new_id())};
    EXPECT_TRUE(engine.set_plan(m.plan()));
}

TEST(Mix, DuckingFollowsItsRule) {
    Material m;
    m.add_tone(0.5, 440, kRate, kRate / 2);  // half a second of key, from 1 s on
    const int key = m.r().tracks[4].id;
    Ducking& ducking = m.r().tracks[2].ducking;
    ducking.on = true;
    ducking.key_tracks = {key};
    ducking.values = {-12, -30, 100, 200, 500, 0, 0};
    const auto levels = track_levels(*m.plan(), 4);
    ASSERT_TRUE(levels.ok());
    const auto gains = duck_gains(ducking, kRate, *levels, kFrames / kDuckStep);
    const auto at = [&](double seconds) {
        return static_cast<double>(gains[static_cast<std::size_t>(seconds * kRate / kDuckStep)]);
    };
    EXPECT_EQ(at(0.9), 0);
    EXPECT_NEAR(at(1.05), -6, 0.8);    // half of the attack
    EXPECT_NEAR(at(1.15), -12, 1e-6);  // down
    EXPECT_NEAR(at(1.65), -12, 1e-6);  // held for 200 ms behind the end at 1.5 s
    EXPECT_NEAR(at(1.95), -6, 0.8);    // half of the release
    EXPECT_NEAR(at(2.25), 0, 1e-6);
    // The engine plays just this line.
    for (std::size_t t : {0U, 1U, 3U}) m.r().tracks[t].strip.mute = true;
    m.r().tracks[4].strip.mute = true;  // a key need not be heard
    const Channels ducked = m.mix();
    ducking.on = false;
    const Channels plain = m.mix();
    for (double s = 0.25; s < 2.9; s += 0.1) {
        const auto frame = static_cast<std::size_t>(s * kRate / kDuckStep) * kDuckStep;
        if (std::abs(plain[0][frame]) < 1e-3F) continue;
        EXPECT_NEAR(20 * std::log10(static_cast<double>(ducked[0][frame] / plain[0][frame])),
                    static_cast<double>(gains[frame / kDuckStep]), 0.01)
            << s;
    }
    // From the middle it is what it is from the start.
    ducking.on = true;
    const Channels later = m.mix(60000, kFrames);
    for (std::size_t i = 0; i < later[0].size(); ++i) ASSERT_EQ(later[0][i], ducked[0][60000 + i]);
    // Look-ahead moves all of it.
    ducking.values[static_cast<std::size_t>(DuckSetting::LookAhead)] = 100;
    const auto early = duck_gains(ducking, kRate, *levels, kFrames / kDuckStep);
    const std::size_t shift = static_cast<std::size_t>(std::lround(0.1 * kRate / kDuckStep));
    for (std::size_t k = 0; k + shift < gains.size(); ++k) EXPECT_EQ(early[k], gains[k + shift]);
    // Frozen, it is points that sound the same.
    ducking.values[static_cast<std::size_t>(DuckSetting::LookAhead)] = 0;
    freeze_ducking(m.r().tracks[2], gains);
    EXPECT_FALSE(m.r().tracks[2].ducking.on);
    EXPECT_LT(m.r().tracks[2].strip.lines[0].points.size(), 12U);
    const Channels frozen = m.mix();
    EXPECT_NEAR(level_db(frozen[0], 58000, 9600), level_db(ducked[0], 58000, 9600), 0.25);
}

// Of several keys the loudest counts; what lies between the threshold and its hysteresis keeps what was, for
// two seconds.
TEST(Mix, DuckingBySeveralTracksWithHysteresis) {
    Material m;
    m.add_tone(0.5, 440, kRate / 2, kRate / 4);
    m.r().tracks[4].clips[0].path = "tone";
    place_clip(m.r(), {"tone", 2 * kRate, kRate / 4, false, false, "Other"}, ClipSource::Whole, 0);
    const std::array keys = {m.r().tracks[4].id, m.r().tracks[5].id};
    Ducking& ducking = m.r().tracks[2].ducking;
    ducking.on = true;
    ducking.values = {-12, -30, 20, 0, 20, 0, 0};
    for (std::size_t t : {0U, 1U, 3U, 4U, 5U}) m.r().tracks[t].strip.mute = true;
    const Channels plain = m.mix();
    const auto down_db = [&](double seconds) {
        const Channels ducked = m.mix();
        const auto at = static_cast<std::size_t>(seconds * kRate);
        return level_db(ducked[0], at, 2400) - level_db(plain[0], at, 2400);
    };
    ducking.key_tracks = {keys[0]};
    EXPECT_NEAR(down_db(0.6), -12, 0.01);
    EXPECT_NEAR(down_db(2.1), 0, 0.01);
    ducking.key_tracks = {keys[0], keys[1]};
    EXPECT_NEAR(down_db(0.6), -12, 0.01);
    EXPECT_NEAR(down_db(2.1), -12, 0.01);
    EXPECT_EQ(likely_keys(m.r(), m.r().tracks[2].id), std::vector{m.r().tracks[0].id});

    DuckRule rule(
        [] {
            Ducking d;
            d.values = {-12, -30, 5, 0, 20, 0, 6};
            return d;
        }(),
        kRate);
    for (int k = 0; k < 100; ++k) EXPECT_EQ(rule.next(-33), 0);  // never over the threshold
    for (int k = 0; k < 10; ++k) static_cast<void>(rule.next(-20));
    const int two_seconds = 2 * kRate / static_cast<int>(kDuckStep);
    for (int k = 0; k < two_seconds; ++k) EXPECT_EQ(rule.next(-33), -12) << k;
    for (int k = 0; k < 10; ++k) static_cast<void>(rule.next(-33));
    EXPECT_EQ(rule.next(-33), 0);
    for (int k = 0; k < 10; ++k) static_cast<void>(rule.next(-20));
    for (int k = 0; k < 10; ++k) static_cast<void>(rule.next(-37));
    EXPECT_EQ(rule.next(-37), 0);
}

// What counts as talk of a clip that plays a split recording as it is, is its dialogue stem; room tone is
// none.
TEST(Mix, LevelsOfTalkAreThoseOfTheDialogue) {
    Material m;
    place_clip(m.r(), {"talk", 0, kFrames, false, false, "All"}, ClipSource::Whole, 0);
    const auto plan = m.plan();
    const auto dialogue = track_levels(*plan, 0);
    const auto whole = track_levels(*plan, 4);
    const auto music = track_levels(*plan, 2);
    ASSERT_TRUE(dialogue.ok() && whole.ok() && music.ok());
    EXPECT_EQ(*whole, *dialogue);
    EXPECT_NE(*music, *dialogue);
    m.r().tracks[4].clips[0].room_tone = true;
    const auto room_tone = track_levels(*m.plan(), 4);
    ASSERT_TRUE(room_tone.ok());
    for (const float level : *room_tone) EXPECT_LE(level, -200.0F);
}

// With a hand on the controls a moved fader is heard within 30 ms of sound, counted in frames; without,
// within what is kept ready.
TEST(Mix, AMovedFaderIsHeardWithin30Ms) {
    for (const bool hands_on : {true, false}) {
        Material m;
        MixPlayer player;
        player.set_plan(m.plan());
        player.set_hands_on(hands_on);
        SimulatedOutput output(player, SimulatedOutput::Pace::Driven, true);
        player.settle();
        player.play();
        output.advance(24000);
        static_cast<void>(output.take_kept());
        for (int i = 0; i < 40; ++i)
            player.settle();  // as much as is wanted is ready: a block a round at least
        for (auto& track : m.r().tracks) track.strip.gain_db = kLowestGainDb;
        player.set_plan(m.plan());
        player.settle();
        std::size_t heard_after = 0;
        for (bool loud = true; loud && heard_after < kRate; heard_after += 64) {
            output.advance(64);
            player.settle();
            const auto taken = output.take_kept();
            loud = energy_of(taken) / static_cast<double>(taken.size()) > 0.01 * 0.01;
        }
        EXPECT_LT(heard_after, static_cast<std::size_t>((hands_on ? 0.030 : 0.145) * kRate)) << hands_on;
        EXPECT_GT(heard_after, static_cast<std::size_t>((hands_on ? 0.010 : 0.1) * kRate)) << hands_on;
        EXPECT_EQ(player.drop_outs(), 0U);
    }
}

TEST(Mix, OfflineEqualsRealTime) {
    Material m;
    m.add_tone(0.5, 440, kRate, kRate / 2);
    m.r().tracks[2].ducking.on = true;
    m.r().tracks[2].ducking.key_tracks = {m.r().tracks[4].id};
    m.r().tracks[0].strip.chain = {make_part(EffectType::HighPass, m.r().new_id()),
                                   make_part(EffectType::Limiter, m.r().new_id())};
    put_point(m.r().tracks[1].strip, {LaneTarget::Gain, 0, 0, {}}, {1000, -3});
    put_point(m.r().tracks[1].strip, {LaneTarget::Gain, 0, 0, {}}, {90000, 3});
    const Channels offline = m.mix();
    MixPlayer player;
    player.set_plan(m.plan());
    SimulatedOutput output(player, SimulatedOutput::Pace::Driven, true);
    player.settle();
    player.play();
    output.advance(2 * offline[0].size());
    EXPECT_FALSE(player.playing());  // it ends by itself
    const auto heard = output.take_kept();
    EXPECT_EQ(player.drop_outs(), 0U);
    ASSERT_GE(heard.size() / 2, static_cast<std::size_t>(kFrames));
    // The first samples fade in from the silence before.
    for (std::size_t i = 1000; i < static_cast<std::size_t>(kFrames); ++i) {
        ASSERT_EQ(heard[2 * i], offline[0][i]) << i;
        ASSERT_EQ(heard[2 * i + 1], offline[1][i]) << i;
    }
    EXPECT_GT(player.meters().momentary_lufs, -60);
}

// A recording at any rate that a session can have decides the session's, and its stems add up to it.
TEST(Mix, StemsAddUpAtEverySessionRate) {
    for (const int rate : kSessionRates) {
        const Scratch scratch;
        auto source = std::make_shared<const Source>(test::noise_source(scratch, rate, 2, 0.5));
        auto map = std::make_shared<const MaskMap>(test::random_map(scratch, *source));
        Session session;
        adopt_recording(session.timeline, rate, {});
        ASSERT_EQ(session.timeline.sample_rate, rate);
        session.items.push_back({"talk", "", {}, {}, true});
        const auto frames = static_cast<std::int64_t>(source->frames());
        place_stems(session.timeline, {"talk", 0, frames, true, false, ""});
        const auto again = session_from_json(session_to_json(session), "/");
        ASSERT_TRUE(again);
        EXPECT_EQ(again->timeline.sample_rate, rate);
        std::vector<float> original(source->frames());
        source->read(0, 0, original);
        double worst = 0;
        const auto plan =
            std::make_shared<const MixPlan>(session, MixMediaSet{{"talk", {source, map, rate}}});
        const Status status = render_mix(plan, 0, frames, {}, [&](std::int64_t first, auto block) {
            for (std::size_t i = 0; i < block[0].size(); ++i)
                worst = std::max(worst, std::abs(static_cast<double>(
                                            block[0][i] - original[static_cast<std::size_t>(first) + i])));
            return Status{};
        });
        ASSERT_TRUE(status.ok());
        EXPECT_LT(worst, 1e-5) << rate;
    }
}

// What is played becomes shorter than where it plays: it stops, instead of standing there as if it played.
TEST(Mix, PlayingStopsWhenTheEndComesBeforeThePlayhead) {
    Material m;
    MixPlayer player;
    player.set_plan(m.plan());
    SimulatedOutput output(player, SimulatedOutput::Pace::Driven, true);
    player.settle();
    player.play();
    output.advance(2 * kRate);
    const std::array<LoopRange, 1> most = {{{kRate / 2, kFrames}}};
    cut_time(m.r(), most, {}, false);
    player.set_plan(m.plan());
    output.advance(2 * kRate);
    EXPECT_FALSE(player.playing());
    player.play();  // from the beginning
    EXPECT_EQ(output.advance(2 * kRate), static_cast<std::size_t>(kRate / 2));
}

TEST(Mix, ASpectrumShowsLevelsWhereTheyAre) {
    std::vector<float> tone(Tap::kFrames);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] = static_cast<float>(0.1 * std::sin(2 * std::numbers::pi * 996.09375 *
                                                    static_cast<double>(i) / kRate));  // a bin's middle
    const auto levels = spectrum_of(tone, kRate);
    std::size_t loudest = 0;
    for (std::size_t p = 0; p < kSpectrumPlaces; ++p) {
        if (levels[p] > levels[loudest]) loudest = p;
    }
    EXPECT_NEAR(spectrum_place_hz(loudest), 996, 40);
    EXPECT_NEAR(levels[loudest], -20, 0.05);
    EXPECT_LT(levels[loudest + 20], -100);
    // The tap holds what a strip last played behind its chain.
    Material m;
    m.add_tone(0.5, 996.09375, 0, kFrames);
    auto plan = std::make_shared<MixPlan>(m.session, m.media);
    const auto tap = std::make_shared<Tap>();
    plan->tap(m.r().tracks[4].id, tap);
    MixEngine engine(plan);
    Channels block(2, std::vector<float>(Tap::kFrames));
    engine.next({block[0], block[1]});
    EXPECT_NEAR(spectrum_of(tap->read(), kRate)[loudest], 20 * std::log10(0.5), 0.1);
}

TEST(Mix, MissingAndUnsplitMediaAreSilent) {
    Material m;
    m.media["talk"].map = nullptr;
    EXPECT_EQ(energy_of(m.mix()[0]), 0.0);
    m.media.clear();
    EXPECT_EQ(energy_of(m.mix()[0]), 0.0);
    m.session.timeline = {};
    m.session.timeline.sample_rate = kRate;
    EXPECT_EQ(energy_of(m.mix()[0]), 0.0);
}

TEST(Mix, RecordingsAtOtherRatesStayInPlace) {
    const Scratch scratch;
    Channels burst(1, std::vector<float>(44100));
    for (std::size_t i = 22050; i < 22150; ++i) burst[0][i] = 0.5F;
    test::write_wav(scratch / "b.wav", burst, 44100);
    const auto source = Source::bring_in(scratch / "b.wav", scratch.folder());
    ASSERT_TRUE(source.ok());
    const auto at48 = Source::at_rate(*source, 48000, scratch.folder());
    ASSERT_TRUE(at48.ok());
    EXPECT_EQ(at48->sample_rate(), 48000);
    EXPECT_NEAR(static_cast<double>(at48->frames()), 48000, 2);
    std::vector<float> x(48000);
    at48->read(0, 0, x);
    double first = 0;
    for (std::size_t i = 0; i < x.size() && first == 0; ++i) {
        if (x[i] > 0.25F) first = static_cast<double>(i);
    }
    EXPECT_NEAR(first, 24000, 1);
    const auto same = Source::at_rate(*source, 44100, scratch.folder());
    EXPECT_EQ(same->hash(), source->hash());
    TimedSettings timed;
    put_point(timed.lines, 0, Setting::Gain, {44100, -3});
    EXPECT_EQ(at_rate(timed, 44100, 48000).lines[0].points[0].frame, 48000);
}

// Magnitude of a Butterworth high-pass of order n: |H|^2 = 1 / (1 + (fc / f)^(2 n)) (Butterworth 1930), with
// the frequencies warped by the bilinear transform: f -> tan(pi f / rate).
TEST(Chain, HighPassIsButterworth) {
    for (const double slope : {12.0, 24.0, 36.0, 48.0}) {
        const ParameterBlock<EffectType::HighPass> values(std::array{100.0, slope});
        for (const double hz : {25.0, 50.0, 100.0, 200.0, 1000.0, 10000.0}) {
            const double order = slope / 6.0;
            const double ratio =
                std::tan(std::numbers::pi * 100 / kRate) / std::tan(std::numbers::pi * hz / kRate);
            const double wanted = 1 / std::sqrt(1 + std::pow(ratio, 2 * order));
            EXPECT_NEAR(20 * std::log10(CutFilter::magnitude(EffectType::HighPass, kRate, values, hz)),
                        20 * std::log10(wanted), 1e-3)
                << slope << " dB/oct at " << hz;
        }
        CutFilter filter(EffectType::HighPass, kRate);  // and the sound has that magnitude
        filter.set(values);
        std::array<std::vector<float>, 2> tone;
        for (auto& channel : tone) {
            channel.resize(48000);
            for (std::size_t i = 0; i < channel.size(); ++i)
                channel[i] =
                    static_cast<float>(std::sin(2 * std::numbers::pi * 70 * static_cast<double>(i) / kRate));
        }
        filter.process({tone[0], tone[1]});
        EXPECT_NEAR(level_db(tone[0], 24000, 24000) + 3.0103,
                    20 * std::log10(CutFilter::magnitude(EffectType::HighPass, kRate, values, 70)), 0.01);
    }
}

// The ceiling holds for true peaks as libebur128 measures them (ITU-R BS.1770-4, Annex 2).
// By the interpolator of a library that is not ours (libebur128, after ITU-R BS.1770-4, annex 2).
double libebur128_true_peak_dbtp(const Channels& x, int rate) {
    ebur128_state* state = ebur128_init(static_cast<unsigned>(x.size()), static_cast<unsigned long>(rate),
                                        EBUR128_MODE_TRUE_PEAK);
    std::vector<float> interleaved;
    interleave(x, interleaved);
    EXPECT_EQ(ebur128_add_frames_float(state, interleaved.data(), x[0].size()), EBUR128_SUCCESS);
    double highest = 0.0;
    for (unsigned c = 0; c < x.size(); ++c) {
        double peak = 0.0;
        EXPECT_EQ(ebur128_true_peak(state, c, &peak), EBUR128_SUCCESS);
        highest = std::max(highest, peak);
    }
    ebur128_destroy(&state);
    return db_of_amplitude(highest);
}

TEST(Chain, LimiterNeverPassesItsCeiling) {
    for (const int rate : kSessionRates) {
        for (unsigned seed = 1; seed <= 3; ++seed) {
            auto noise = test::noise(static_cast<std::size_t>(2 * rate), seed);
            Channels x = {noise, noise};
            for (std::size_t i = 0; i < noise.size(); ++i) {
                // Loud noise, a tone at a quarter of the rate with its peaks between samples, single clicks.
                const double t = static_cast<double>(i);
                x[0][i] = noise[i] * 12.0F;
                x[1][i] = static_cast<float>(1.4 * std::sin(std::numbers::pi / 2 * t + std::numbers::pi / 4));
                if (i % 5000 == 0) x[1][i] += 3.0F;
            }
            Limiter limiter(rate);
            const std::array<double, 3> values = {6, -0.5, 80};
            limiter.set(values);
            limiter.process({x[0], x[1]});
            const double peak = libebur128_true_peak_dbtp(x, rate);
            EXPECT_LE(peak, -0.5) << rate << " seed " << seed;
            EXPECT_GE(peak, -1.2);
        }
    }
}

TEST(Chain, LimiterLeavesWhatIsBelowAlone) {
    Limiter limiter(kRate);
    const auto noise = test::noise(48000, 5);
    Channels x = {noise, noise};
    const std::array<double, 3> values = {0, -0.5, 80};
    limiter.set(values);
    limiter.process({x[0], x[1]});
    const auto delay = static_cast<std::size_t>(limiter.latency());
    for (std::size_t i = delay; i < x[0].size(); ++i) ASSERT_EQ(x[0][i], noise[i - delay]);
    EXPECT_EQ(limiter.reduction_db(), 0.0);
}

TEST(Chain, SwitchingAPartOffShiftsAndClicksNothing) {
    std::vector<Insert> parts = {make_part(EffectType::Limiter, 1), make_part(EffectType::Gain, 2)};
    parts[1].values[0] = -20;
    Chain chain(parts, kRate);
    Channels tone(2, std::vector<float>(24000));
    for (auto& channel : tone) {
        for (std::size_t i = 0; i < channel.size(); ++i)
            channel[i] = static_cast<float>(
                0.5 * std::sin(2 * std::numbers::pi * 100 * static_cast<double>(i) / kRate));
    }
    const Channels plain = tone;
    chain.process({std::span(tone[0]).first(12000), std::span(tone[1]).first(12000)});
    for (auto& part : parts) part.on = false;
    chain.set(0, parts[0], parts[0].values);
    chain.set(1, parts[1], parts[1].values);
    chain.process({std::span(tone[0]).subspan(12000), std::span(tone[1]).subspan(12000)});
    const auto delay = static_cast<std::size_t>(chain.latency());
    EXPECT_NEAR(tone[0][11000], plain[0][11000 - delay] * 0.1F, 1e-4F);
    EXPECT_EQ(tone[0][23000], plain[0][23000 - delay]);
    for (std::size_t i = 1; i < tone[0].size(); ++i)
        ASSERT_LT(std::abs(tone[0][i] - tone[0][i - 1]), 0.02F) << i;
}

}  // namespace
}  // namespace rivlen
