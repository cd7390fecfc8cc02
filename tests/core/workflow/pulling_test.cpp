// SPDX-License-Identifier: GPL-3.0-or-later
// A thousandth up or down: length, pitch, timecode.
#include "core/workflow/pulling.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <fstream>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/project/editing.h"
#include "core/project/session.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

constexpr int kPulledRate = 48000;

// Frequency of a tone from the turns of its phase against one of `near_hz`.
double frequency_of(std::span<const float> x, double near_hz) {
    const auto phase = [&](std::size_t from) {
        double re = 0, im = 0;
        for (std::size_t i = 0; i < 4800; ++i) {
            const double turn = 2 * std::numbers::pi * near_hz * static_cast<double>(from + i) / kPulledRate;
            re += static_cast<double>(x[from + i]) * std::cos(turn);
            im -= static_cast<double>(x[from + i]) * std::sin(turn);
        }
        return std::atan2(im, re);
    };
    const std::size_t apart = 9600;
    const double turned = std::remainder(phase(48000 + apart) - phase(48000), 2 * std::numbers::pi);
    return near_hz + turned / (2 * std::numbers::pi) * kPulledRate / static_cast<double>(apart);
}

std::uint64_t time_reference_of(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    const std::string bytes((std::istreambuf_iterator<char>(in)), {});
    const auto chunk = bytes.find("bext");
    if (chunk == std::string::npos) return 0;
    // EBU Tech 3285: description 256, originator 32, reference 32, date 10, time 8, then the reference, low
    // word first.
    std::uint64_t out = 0;
    for (int k = 7; k >= 0; --k)
        out = out << 8U | static_cast<unsigned char>(bytes[chunk + 8 + 338 + static_cast<std::size_t>(k)]);
    return out;
}

TEST(Pulling, ChangesLengthAndPitchByAThousandthAndKeepsTheTimecode) {
    const test::Scratch scratch;
    std::vector<float> tone(4 * kPulledRate);
    for (std::size_t i = 0; i < tone.size(); ++i)
        tone[i] = static_cast<float>(
            0.5 * std::sin(2 * std::numbers::pi * 1000 * static_cast<double>(i) / kPulledRate));
    test::write_wav(scratch / "tone.wav", {tone}, kPulledRate);
    auto source = Source::bring_in(scratch / "tone.wav", scratch / "work");
    ASSERT_TRUE(source.ok());
    Session session;
    Timeline& r = session.timeline;
    r.sample_rate = kPulledRate;
    r.frame_rate = {24000, 1001};
    r.first_timecode_frame = 24 * 3600;  // 01:00:00:00
    Placement placement;
    placement.path = scratch / "tone.wav";
    placement.at = 2 * kPulledRate;
    placement.length = static_cast<std::int64_t>(tone.size());
    const int clip = place_clip(r, placement, ClipSource::Whole, 0);
    MixMediaSet media;
    media[placement.path] = {std::make_shared<const Source>(std::move(*source)), nullptr, kPulledRate};
    const MixPlan plan(session, media);
    for (const auto& [pull, ratio] : {std::pair{Pull::Down, 1.001}, std::pair{Pull::Up, 1 / 1.001}}) {
        const auto file = pulled_name(scratch.folder(), placement.path, pull);
        const auto frames = write_pulled(plan, clip, pull, file, scratch / "work");
        ASSERT_TRUE(frames.ok());
        EXPECT_NEAR(static_cast<double>(*frames), 4 * kPulledRate * ratio, 2);
        EXPECT_NEAR(static_cast<double>(pulled_frames(4 * kPulledRate, pull)), 4 * kPulledRate * ratio, 0.5);
        const auto sound = test::read_wav(file);
        EXPECT_NEAR(frequency_of(sound[0], 1000), 1000 / ratio, 0.001);
        EXPECT_NEAR(db_of_power(2 * energy_of(std::span(sound[0]).subspan(48000, 48000)) / 48000), -6.02,
                    0.01);
        // One hour and two seconds: 24 * 3600 frames of 1001/24000 s, and what lies between.
        EXPECT_EQ(time_reference_of(file),
                  static_cast<std::uint64_t>(std::llround(3603.6 * kPulledRate)) + 2 * kPulledRate);
        EXPECT_NE(pulled_name(scratch.folder(), placement.path, pull), file);  // that name is taken
        Timeline after = r;
        take_pulled(after, clip, file, *frames);
        EXPECT_EQ(after.clip(clip)->start, 2 * kPulledRate);
        EXPECT_EQ(after.clip(clip)->length, *frames);
        EXPECT_TRUE(well_formed(after));
    }
    EXPECT_FALSE(write_pulled(plan, 999, Pull::Up, scratch / "x.wav", scratch / "work").ok());
    EXPECT_FALSE(std::filesystem::exists(scratch / "x.wav"));
}

}  // namespace
}  // namespace rivlen
