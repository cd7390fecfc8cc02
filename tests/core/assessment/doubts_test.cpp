// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/doubts.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "core/assessment/risk_line.h"
#include "core/dsp/decibels.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

constexpr int kToneRate = 48000;

std::array<float, kMaskRow> row_of(std::array<float, kStems> masks) {
    std::array<float, kMaskRow> row;
    for (std::size_t i = 0; i < kMaskRow; ++i) row[i] = masks[i / kBands];
    return row;
}

// Worked by hand: half the energy in one kind for one model, all of it in another for the other.
TEST(Doubt, MeasuresAreWhatTheyAreDefinedAs) {
    std::array<float, kBands> power;
    power.fill(1);
    DoubtSums sums;
    sums.add(power, row_of({1, 0, 0, 0}), row_of({1, 0, 0, 0}));
    EXPECT_DOUBLE_EQ(sums.disagreement(), 0);
    EXPECT_DOUBLE_EQ(sums.openness(), 0);
    EXPECT_DOUBLE_EQ(sums.doubt(), 0);
    sums.clear();
    sums.add(power, row_of({0.5F, 0, 0.5F, 0}), row_of({0, 0, 0, 1}));
    EXPECT_DOUBLE_EQ(sums.disagreement(), 1);
    EXPECT_DOUBLE_EQ(sums.openness(), 0.5);
    EXPECT_DOUBLE_EQ(sums.from_to(DoubtKind::Voice, DoubtKind::Ambience), 0.5);
    EXPECT_DOUBLE_EQ(sums.from_to(DoubtKind::Music, DoubtKind::Ambience), 0.5);
    EXPECT_DOUBLE_EQ(sums.from_to(DoubtKind::Voice, DoubtKind::Music), 0);
    EXPECT_DOUBLE_EQ(sums.share(DoubtKind::Music), 0.5);
    // From dialogue to its reverb nothing goes wrong.
    sums.clear();
    sums.add(power, row_of({1, 0, 0, 0}), row_of({0, 1, 0, 0}));
    EXPECT_DOUBLE_EQ(sums.doubt(), 0);
}

// Where the picture is light is where, in time and pitch, the other map has it otherwise.
TEST(Doubt, APictureShowsWhereInPitch) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, kToneRate, 2, 6);
    const auto shown = test::even_map(scratch, source, {0, 0, 0, 1});
    std::vector<Correction> voice(1);
    voice[0].to = Stem::Dialogue;
    voice[0].region.points = {{2, 5000}, {4, 12000}};
    const auto other = corrected(shown, voice, source);
    ASSERT_TRUE(other.ok());
    const auto line = measure_doubt(source, shown, *other);
    ASSERT_TRUE(line.ok());
    const DoubtPicture& picture = line->picture;
    ASSERT_EQ(picture.steps(), line->doubt.size());
    const auto cell = [&](double seconds, double hz) {
        const auto step = static_cast<std::size_t>(seconds / kDoubtStepSeconds);
        const auto band = static_cast<std::size_t>(
            band_of_bin()[static_cast<std::size_t>(std::lround(hz * kModelFft / kModelRate))]);
        return picture.cells[step * DoubtPicture::kRows + band / DoubtPicture::kRowBands];
    };
    EXPECT_EQ(cell(3, 8000), 255);
    EXPECT_EQ(cell(3, 1000), 0);
    EXPECT_EQ(cell(3, 20000), 0);
    EXPECT_EQ(cell(1, 8000), 0);
    EXPECT_EQ(cell(5, 8000), 0);
}

TEST(Doubt, ALineFindsWhereTwoMapsDisagree) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, kToneRate, 2, 6);
    const auto shown = test::even_map(scratch, source, {0, 0, 0, 1});
    std::vector<Correction> voice(1);
    voice[0].to = Stem::Dialogue;
    voice[0].region.points = {{2, 20}, {4, 24000}};
    const auto other = corrected(shown, voice, source);
    ASSERT_TRUE(other.ok());
    const auto line = measure_doubt(source, shown, *other);
    ASSERT_TRUE(line.ok());
    EXPECT_NEAR(static_cast<double>(line->doubt.size()) * kDoubtStepSeconds, 6, 0.1);
    EXPECT_GT(line->doubt[60], 0.6F);  // 3 s
    EXPECT_LT(line->doubt[20], 0.01F);
    const auto places = doubted_stretches(*line);
    ASSERT_EQ(places.size(), 1U);
    EXPECT_NEAR(places[0].first_seconds, 2, 0.11);
    EXPECT_NEAR(places[0].last_seconds, 4, 0.11);
    EXPECT_EQ(places[0].sentence.substr(0, 5), "From ");
    EXPECT_NE(places[0].sentence.find("a voice may lie in the ambience"), std::string::npos)
        << places[0].sentence;
    // Its proposal does what the other model says.
    const auto mended = corrected(shown, std::vector{places[0].proposal}, source);
    ASSERT_TRUE(mended.ok());
    std::array<float, kMaskRow> row;
    mended->read(3 * 93.75, row);
    EXPECT_NEAR(row[100], 1, 1e-5);
    const std::atomic<bool> stop{true};
    EXPECT_EQ(measure_doubt(source, shown, *other, {{}, &stop}).error().kind, ErrorKind::Cancelled);
}

// Gini's impurity of two even parts is a half; what is no music does not count.
TEST(Doubt, OfThePartsOfMusicIsWithinTheMusic) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, kToneRate, 2, 2);
    const auto opened_by = [&](std::array<float, kStems> stems, std::array<float, kMusicParts> parts) {
        return *test::even_map(scratch, source, stems)
                    .opened(std::make_shared<const MaskMap>(test::even_map(scratch, source, parts)));
    };
    const auto line_of = [&](const MaskMap& map) { return *measure_parts_doubt(source, map); };
    const DoubtLine halves = line_of(opened_by({0.5F, 0, 0.5F, 0}, {0.5F, 0.5F, 0, 0}));
    ASSERT_NEAR(static_cast<double>(halves.doubt.size()) * kDoubtStepSeconds, 2, 0.1);
    EXPECT_NEAR(halves.doubt[20], 0.5, 0.01);
    EXPECT_EQ(halves.picture.steps(), halves.doubt.size());
    EXPECT_NEAR(halves.picture.cells[20 * DoubtPicture::kRows + DoubtPicture::kRows - 1], 127, 3);
    EXPECT_TRUE(halves.moved[0][1].empty());
    EXPECT_NEAR(line_of(opened_by({0.5F, 0, 0.5F, 0}, {0, 1, 0, 0})).doubt[20], 0, 1e-3);
    EXPECT_EQ(line_of(opened_by({1, 0, 0, 0}, {0.5F, 0.5F, 0, 0})).doubt[20], 0);  // no music
    EXPECT_TRUE(line_of(test::even_map(scratch, source, {0, 0, 1, 0})).doubt.empty());
    const std::atomic<bool> stop{true};
    EXPECT_EQ(measure_parts_doubt(source, opened_by({0, 0, 1, 0}, {1, 0, 0, 0}), {{}, &stop}).error().kind,
              ErrorKind::Cancelled);
}

// Noise of a room, with syllables of a buzz in it that stand for a voice.
std::vector<float> scene(unsigned seed, double seconds) {
    auto out = test::noise(static_cast<std::size_t>(seconds * kToneRate), seed);
    std::mt19937 random(seed);
    for (float& x : out) x *= 0.02F;
    for (double at = 0.3; at < seconds - 0.5; at += 0.25 + 0.001 * static_cast<double>(random() % 300)) {
        const double hz = 100 + static_cast<double>(random() % 120);
        for (int i = 0; i < kToneRate / 5; ++i) {
            const double t = static_cast<double>(i) / kToneRate;
            double x = 0;
            for (int k = 1; k < 12; ++k) x += std::sin(2 * std::numbers::pi * hz * k * (t + 0.1 * t * t)) / k;
            out[static_cast<std::size_t>(at * kToneRate) + static_cast<std::size_t>(i)] +=
                static_cast<float>(0.1 * x * std::sin(std::numbers::pi * t / 0.2));
        }
    }
    return out;
}

std::vector<DoubtedPlace> tones_in(const std::vector<float>& sound, std::array<float, kStems> masks) {
    const Scratch scratch;
    test::write_wav(scratch / "a.wav", {sound}, kToneRate);
    const auto source = Source::bring_in(scratch / "a.wav", scratch.folder());
    const auto map = test::even_map(scratch, *source, masks);
    const auto found = doubted_tones(*source, map);
    EXPECT_TRUE(found.ok());
    return *found;
}

// Twelve machines, each with its own tone: all are found, at their frequency; with partials they are one.
TEST(Doubt, SteadyTonesAreFoundAndNamed) {
    std::mt19937 random(8);
    for (unsigned n = 0; n < 12; ++n) {
        const double hz = 60 * std::exp2(static_cast<double>(n) / 2) + 0.37;
        const int partials = n < 8 && n % 2 == 0 ? 5 : 1;
        auto sound = scene(n, 12);
        for (std::size_t i = 0; i < sound.size(); ++i) {
            for (int k = 1; k <= partials; ++k)
                sound[i] += static_cast<float>(
                    0.01 / k * std::sin(2 * std::numbers::pi * hz * k * static_cast<double>(i) / kToneRate));
        }
        const auto found = tones_in(sound, {0.1F, 0, 0.8F, 0.1F});
        ASSERT_EQ(found.size(), 1U) << hz;
        EXPECT_NE(found[0].sentence.find(fmt::format("{:.0f} Hz", hz)), std::string::npos)
            << found[0].sentence;
        EXPECT_NE(found[0].sentence.find("music"), std::string::npos);
        EXPECT_EQ(found[0].proposal.region.harmonics, partials > 1);
        const RegionBounds b = bounds_of(found[0].proposal.region);
        EXPECT_LT(std::abs(std::sqrt(b.lowest_hz * b.highest_hz) / hz - 1), 0.005);
        EXPECT_TRUE(tones_in(sound, {0, 0, 0, 1}).empty());  // where it belongs
    }
}

// Speech-like sound, melodies and slow chords are no steady tones.
TEST(Doubt, WhatMovesIsNoSteadyTone) {
    int alarms = 0;
    for (unsigned n = 0; n < 12; ++n) {
        auto sound = scene(100 + n, 12);
        std::mt19937 random(n);
        const double note_s = n % 3 == 0 ? 0.25 : n % 3 == 1 ? 0.5 : 2.0;
        double hz = 0;
        for (std::size_t i = 0; i < sound.size(); ++i) {
            const double t = static_cast<double>(i) / kToneRate;
            if (i % static_cast<std::size_t>(note_s * kToneRate) == 0)
                hz = 220 * std::exp2(static_cast<double>(random() % 24) / 12);
            const double into = std::fmod(t, note_s);
            if (n % 4 != 3)
                sound[i] += static_cast<float>(0.05 * std::exp(-into / note_s) *
                                               std::sin(2 * std::numbers::pi * hz * t));
        }
        alarms += static_cast<int>(tones_in(sound, {0.3F, 0, 0.6F, 0.1F}).size());
    }
    EXPECT_EQ(alarms, 0);
}

// Doubt of a half and less adds nothing; what the settings hurt stays.
TEST(Doubt, CountsInTheRiskLine) {
    const RiskLine line{{0.4F, 0.1F, 0.0F, 0.0F}};
    const std::vector<float> doubt = {0.5F, 1.0F, 0.75F};
    const RiskLine both = with_doubt(line, doubt);
    EXPECT_EQ(both.risk, (std::vector<float>{0.4F, 0.5F, 0.25F, 0.0F}));
    EXPECT_EQ(worst_spots(both, 5).front().risk, 0.5F);
}

}  // namespace
}  // namespace rivlen
