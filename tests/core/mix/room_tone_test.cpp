// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/room_tone.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <numbers>
#include <random>
#include <set>

#include "core/dsp/decibels.h"
#include "core/mix/engine.h"
#include "core/project/editing.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr int kPlaceRate = 48000;

TEST(RoomTone, GrainsLieInTheStretchesAndNeverNearTheirNeighbours) {
    const std::array<LoopRange, 3> stretches = {
        {{1000, 1000 + 48000}, {100000, 100000 + 24000}, {200000, 200100}}};
    const RoomTone tone(stretches, kPlaceRate);
    ASSERT_TRUE(tone.usable());
    std::set<std::int64_t> places;
    for (std::int64_t g = -50; g < 2000; ++g) {
        const std::int64_t at = tone.place_of(g);
        const auto within = [&](const LoopRange& s) {
            return at >= s.first && at + tone.grain_frames() <= s.last;
        };
        EXPECT_TRUE(within(stretches[0]) || within(stretches[1])) << g;  // the third is too short
        EXPECT_GT(std::abs(at - tone.place_of(g + 1)), tone.grain_frames() / 4) << g;
        places.insert(at);
    }
    EXPECT_GT(places.size(), 1900U);  // hardly any twice
}

TEST(RoomTone, PowersOfWhatOverlapsAddUpToOne) {
    const std::array<LoopRange, 1> stretch = {{{0, kPlaceRate}}};
    const RoomTone tone(stretch, kPlaceRate);
    for (std::int64_t frame = -1000; frame < 3 * tone.grain_frames(); frame += 77) {
        const std::int64_t grain = tone.grain_at(frame);
        ASSERT_GE(frame, tone.grain_start(grain));
        ASSERT_LT(frame, tone.grain_start(grain + 1));
        const float a = tone.window(frame - tone.grain_start(grain));
        const float b = tone.window(frame - tone.grain_start(grain - 1));
        EXPECT_NEAR(a * a + b * b, 1, 1e-5F);
    }
}

TEST(RoomTone, TooLittleIsNone) {
    EXPECT_FALSE(RoomTone({}, kPlaceRate).usable());
    const std::array<LoopRange, 2> shreds = {{{0, 4000}, {5000, 9000}}};
    EXPECT_FALSE(RoomTone(shreds, kPlaceRate).usable());
    const std::array<LoopRange, 1> least = {{{0, kPlaceRate / 5}}};
    EXPECT_TRUE(RoomTone(least, kPlaceRate).usable());
}

// Ten seconds of a place at -50 dBFS with words in it, of which the middle is muted.
class MutedTalk : public testing::Test {
  protected:
    MutedTalk() {
        auto sound = test::noise(10 * kPlaceRate, 3);  // about -20 dBFS
        for (float& x : sound) x *= static_cast<float>(amplitude_of_db(-30));
        for (std::int64_t i = 4 * kPlaceRate; i < 7 * kPlaceRate; ++i)
            sound[static_cast<std::size_t>(i)] +=
                0.3F * static_cast<float>(std::sin(0.05 * static_cast<double>(i)));
        place_ = sound;
        test::write_wav(scratch_ / "talk.wav", {sound}, kPlaceRate);
        auto source = Source::bring_in(scratch_ / "talk.wav", scratch_.folder());
        EXPECT_TRUE(source.ok());
        media_["talk"] = {std::make_shared<const Source>(std::move(*source)), nullptr, kPlaceRate};
        session_.items.push_back({"talk", "", {}, {}, true});
        session_.items[0].room_tone = {{0, 3 * kPlaceRate}, {8 * kPlaceRate, 10 * kPlaceRate}};
        session_.timeline.sample_rate = kPlaceRate;
        place_clip(session_.timeline, {"talk", 0, 10 * kPlaceRate, false, false, "Talk"}, ClipSource::Whole,
                   0);
    }
    std::vector<float> mixed(std::int64_t first, std::int64_t last) const {
        std::vector<float> out;
        const auto plan = std::make_shared<const MixPlan>(session_, media_);
        const Status status = render_mix(plan, first, last, {}, [&](std::int64_t, auto block) {
            out.insert(out.end(), block[0].begin(), block[0].end());
            return Status{};
        });
        EXPECT_TRUE(status.ok());
        return out;
    }
    void mute(double first_s, double last_s, bool tone) {
        const LoopRange range{std::llround(first_s * kPlaceRate), std::llround(last_s * kPlaceRate)};
        mute_ranges(session_.timeline, std::array{range}, {}, [tone](const auto&) { return tone; });
    }
    static double level_db(std::span<const float> x) {
        return db_of_power(energy_of(x) / static_cast<double>(x.size()));
    }

    test::Scratch scratch_;
    Session session_;
    MixMediaSet media_;
    std::vector<float> place_;
};

TEST_F(MutedTalk, IsTheSoundOfThePlaceInsteadOfSilence) {
    mute(3.5, 7.5, true);
    const auto out = mixed(0, 10 * kPlaceRate);
    const double place_db = level_db(std::span(place_).first(3 * kPlaceRate));
    for (std::size_t at = 3 * kPlaceRate; at + kPlaceRate / 5 <= 8 * kPlaceRate; at += kPlaceRate / 5)
        EXPECT_NEAR(level_db(std::span(out).subspan(at, kPlaceRate / 5)), place_db, 1.5) << at;
    // Outside nothing has changed.
    for (std::size_t i = 0; i < 3 * kPlaceRate; ++i) ASSERT_EQ(out[i], place_[i]);
    mute(3.5, 7.5, false);
    for (auto& c : session_.timeline.tracks[0].clips) c.room_tone = false;
    const auto silent = mixed(4 * kPlaceRate, 7 * kPlaceRate);
    EXPECT_EQ(energy_of(silent), 0);
}

// A loop of one pause would be alike to itself one turn later; this is not, at any distance.
TEST_F(MutedTalk, HasNoLoopInIt) {
    session_.timeline.tracks[0].clips[0].room_tone = true;
    const auto out = mixed(0, 10 * kPlaceRate);
    const auto piece = std::span(out).subspan(kPlaceRate, 2 * kPlaceRate);
    const double energy = energy_of(piece);
    double most = 0;
    for (std::size_t lag = kPlaceRate / 20; lag + piece.size() < 8 * kPlaceRate; lag += 7) {
        double sum = 0;
        for (std::size_t i = 0; i < piece.size(); i += 5)
            sum += static_cast<double>(piece[i]) * static_cast<double>(out[kPlaceRate + lag + i]);
        most = std::max(most, std::abs(5 * sum / energy));
    }
    EXPECT_LT(most, 0.4);
}

// Whatever is read first, and in whatever pieces.
TEST_F(MutedTalk, SoundsTheSameWhereverPlayingBegins) {
    mute(3.5, 7.5, true);
    const auto whole = mixed(0, 10 * kPlaceRate);
    const auto later = mixed(5 * kPlaceRate + 123, 6 * kPlaceRate);
    for (std::size_t i = 0; i < later.size(); ++i) ASSERT_EQ(later[i], whole[5 * kPlaceRate + 123 + i]) << i;
}

TEST_F(MutedTalk, WithoutKnownToneIsSilent) {
    session_.items[0].room_tone.clear();
    session_.timeline.tracks[0].clips[0].room_tone = true;
    EXPECT_EQ(energy_of(mixed(0, kPlaceRate)), 0);
}

// A tone whose steps from sample to sample are known, and two hundred rounds of random edits: nothing that is
// heard makes a step that the tone and its fades would not make. A cut without a fade makes up to 1.
TEST(Edits, NeverMakeAStep) {
    constexpr double kHz = 97.3, kAmplitude = 0.5;
    static constexpr std::int64_t kGrid = kPlaceRate / 20, kTake = 20 * kGrid * 6;
    const test::Scratch scratch;
    std::vector<float> tone(static_cast<std::size_t>(kTake));
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] = static_cast<float>(
            kAmplitude * std::sin(2 * std::numbers::pi * kHz * static_cast<double>(i) / kPlaceRate));
    for (std::size_t i = 0; i < kPlaceRate / 100;
         ++i) {  // the recording itself begins and ends without a step
        const float gain = static_cast<float>(i) / (kPlaceRate / 100.0F);
        tone[i] *= gain;
        tone[tone.size() - 1 - i] *= gain;
    }
    test::write_wav(scratch / "tone.wav", {tone}, kPlaceRate);
    auto source = Source::bring_in(scratch / "tone.wav", scratch.folder());
    ASSERT_TRUE(source.ok());
    MixMediaSet media;
    media["tone"] = {std::make_shared<const Source>(std::move(*source)), nullptr, kPlaceRate};
    const MediaLength length = [](const auto&) { return kTake; };
    std::mt19937 random(5);
    const auto below = [&](std::int64_t count) {
        return static_cast<std::int64_t>(random() %
                                         static_cast<std::uint32_t>(std::max<std::int64_t>(1, count)));
    };
    Session session;
    Timeline& t = session.timeline;
    const auto place_anew = [&] {
        t = {};
        t.sample_rate = kPlaceRate;
        place_clip(t, {"tone", 0, kTake, false, false, "Tone"}, ClipSource::Whole, 0);
    };
    place_anew();
    // Two of the tone in a cross-fade of equal power: gains g and h with g^2 + h^2 = 1, so that both g + h
    // and |g'| + |h'| are at most the square root of 2 (times pi / 2 over the fade's length: 5 ms where one
    // of the two recordings has nothing beyond the joint).
    const double of_tone = 2 * std::numbers::pi * kHz / kPlaceRate * kAmplitude;
    const double of_fade = kAmplitude * std::numbers::pi / 2 / (kPlaceRate * 0.005);
    const double most = std::numbers::sqrt2 * (of_tone + of_fade) + 1e-6;
    for (int round = 0; round < 200; ++round) {
        std::vector<int> ids;
        for (const auto& c : t.tracks[0].clips) ids.push_back(c.id);
        if (ids.empty() || ids.size() > 40) {
            place_anew();
            continue;
        }
        const std::array<int, 1> one = {ids[static_cast<std::size_t>(below(std::ssize(ids)))]};
        const std::int64_t at = kGrid * below(t.end() / kGrid);
        const std::array<LoopRange, 1> range = {{{at, at + kGrid * (1 + below(20))}}};
        switch (below(9)) {
            case 0:
                split_clips(t, one, at);
                break;
            case 1:
                trim_start(t, one[0], kGrid * (below(9) - 4));
                break;
            case 2:
                trim_end(t, one[0], kGrid * (below(9) - 4), length);
                break;
            case 3:
                slip(t, one[0], kGrid * (below(9) - 4), length);
                break;
            case 4:
                move_clips(t, one, kGrid * (below(21) - 10));
                break;
            case 5:
                delete_clips(t, one, below(2) == 0);
                break;
            case 6:
                copy_clips(t, one, at);
                break;
            case 7:
                cut_time(t, range, {}, false);
                break;
            default:
                mute_ranges(t, range, {});
                break;
        }
        std::erase_if(t.tracks[0].clips,
                      [](const Clip& c) { return c.length < kGrid / 2; });  // trimmed to nothing
        const auto plan = std::make_shared<const MixPlan>(session, media);
        float last = 0;
        double step = 0;
        const Status status = render_mix(plan, 0, t.end() + kGrid, {}, [&](std::int64_t, auto block) {
            for (const float x : block[0]) {
                step = std::max(step, std::abs(static_cast<double>(x) - static_cast<double>(last)));
                last = x;
            }
            return Status{};
        });
        ASSERT_TRUE(status.ok());
        ASSERT_LT(step, most) << "after round " << round;
    }
}

}  // namespace
}  // namespace rivlen
