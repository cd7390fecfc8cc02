// SPDX-License-Identifier: GPL-3.0-or-later
// Coded files, decoded again by the ffmpeg program and by our own decoder: aligned to the sample, as loud, as
// long.
#include "core/media/coded_file.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <cmath>
#include <cstdlib>
#include <numbers>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;

// A tone at -12 dBFS that swells and falls, with noise, which tells shifts of a sample apart.
Channels made_sound(int rate, double seconds) {
    const auto frames = static_cast<std::size_t>(seconds * rate);
    Channels out(2, std::vector<float>(frames));
    for (std::size_t c = 0; c < 2; ++c) {
        const auto noise = test::noise(frames, static_cast<unsigned>(c + 1));
        double smooth = 0;
        for (std::size_t i = 0; i < frames; ++i) {
            const double t = static_cast<double>(i) / rate;
            smooth += 0.2 * (static_cast<double>(noise[i]) - smooth);  // within what every codec keeps
            out[c][i] = static_cast<float>(0.2 * std::sin(2 * std::numbers::pi * 440 * t) *
                                               std::abs(std::sin(2 * std::numbers::pi * 1.5 * t)) +
                                           0.5 * smooth);
        }
    }
    return out;
}

void write(const Channels& sound, int rate, CodedKind kind, const std::filesystem::path& path,
           const Tags& tags = {}) {
    const int fd = ::open(path.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
    ASSERT_GE(fd, 0);
    const CodedSound coded{rate, static_cast<int>(sound.size()), static_cast<std::int64_t>(sound[0].size()),
                           [&sound, rate](std::int64_t at, std::int64_t count, AudioBlock& out) {
                               out = AudioBlock(rate, sound.size());
                               out.append(sound, static_cast<std::size_t>(at),
                                          static_cast<std::size_t>(count));
                               return Status();
                           }};
    const Status status = write_coded(coded, kind, tags, fd, path);
    ::close(fd);
    ASSERT_TRUE(status.ok()) << status.error().message;
}

Channels decoded_by_ffmpeg(const std::filesystem::path& path, int rate) {
    const auto wav = path.string() + ".wav";
    const std::string command = "ffmpeg -v error -y -i '" + path.string() + "' -ar " + std::to_string(rate) +
                                " -c:a pcm_f32le '" + wav + "'";
    EXPECT_EQ(std::system(command.c_str()), 0);  // NOLINT(concurrency-mt-unsafe)
    return test::read_wav(wav);
}

// The shift, within 3000 samples, at which two sounds differ least.
std::ptrdiff_t shift_of(const std::vector<float>& given, const std::vector<float>& back) {
    const auto from = static_cast<std::ptrdiff_t>(given.size() / 3);
    constexpr std::ptrdiff_t kLength = 6000;
    double least = 1e300;
    std::ptrdiff_t best = 0;
    for (std::ptrdiff_t shift = -3000; shift <= 3000; ++shift) {
        double difference = 0;
        for (std::ptrdiff_t i = from; i < from + kLength && difference < least; ++i) {
            const auto at = static_cast<std::size_t>(i);
            const auto there = static_cast<std::size_t>(i + shift);
            const double d = static_cast<double>(given[at]) -
                             static_cast<double>(there < back.size() ? back[there] : 0.0F);
            difference += d * d;
        }
        if (difference < least) {
            least = difference;
            best = shift;
        }
    }
    return best;
}

struct Case {
    CodedKind kind;
    const char* ending;
    int rate;
};

class CodedFiles : public testing::TestWithParam<Case> {};

TEST_P(CodedFiles, ComeBackInStepAsLongAndAsLoud) {
    const test::Scratch scratch;
    const auto [kind, ending, rate] = GetParam();
    const Channels sound = made_sound(rate, 3.3);
    const auto path = scratch / (std::string("sound") + ending);
    write(sound, rate, kind, path, {{"title", "A tone"}});
    auto ours = read_audio(path, rate);
    ASSERT_TRUE(ours.ok()) << ours.error().message;
    for (const Channels& back : {decoded_by_ffmpeg(path, rate), ours->take()}) {
        ASSERT_EQ(back.size(), 2U);
        // The edit list of an MP4 says where the sound ends; libavformat 5.1 does not cut the last frame
        // there.
        const std::size_t longest = sound[0].size() + (kind == CodedKind::Aac ? 1024 : 0);
        EXPECT_GE(back[0].size(), sound[0].size());
        EXPECT_LE(back[0].size(), longest);
        for (std::size_t c = 0; c < 2; ++c) {
            EXPECT_EQ(shift_of(sound[c], back[c]), 0) << ending << " at " << rate;
            EXPECT_NEAR(db_of_power(energy_of(back[c]) / energy_of(sound[c])), 0, 0.05);
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Kinds, CodedFiles,
                         testing::Values(Case{CodedKind::Opus, ".opus", 48000},
                                         Case{CodedKind::Mp3, ".mp3", 44100},
                                         Case{CodedKind::Mp3, ".mp3", 48000},
                                         Case{CodedKind::Aac, ".m4a", 44100},
                                         Case{CodedKind::Aac, ".m4a", 96000}));

TEST(CodedFile, RatesAreTheNextThatTheCodecTakes) {
    EXPECT_EQ(coded_rate(CodedKind::Opus, 44100), 48000);  // RFC 6716 has no 44.1 kHz
    EXPECT_EQ(coded_rate(CodedKind::Opus, 96000), 48000);
    EXPECT_EQ(coded_rate(CodedKind::Mp3, 44100), 44100);
    EXPECT_EQ(coded_rate(CodedKind::Mp3, 96000), 48000);  // ISO/IEC 11172-3 ends there
    EXPECT_EQ(coded_rate(CodedKind::Aac, 96000), 96000);
}

TEST(CodedFile, SaysWhenTheDiskIsFullAndWhenItIsStopped) {
    const test::Scratch scratch;
    const Channels sound = made_sound(48000, 1);
    const CodedSound coded{48000, 2, 48000, [&](std::int64_t at, std::int64_t count, AudioBlock& out) {
                               out = AudioBlock(48000, 2);
                               out.append(sound, static_cast<std::size_t>(at),
                                          static_cast<std::size_t>(count));
                               return Status();
                           }};
    const int full = ::open("/dev/full", O_WRONLY | O_CLOEXEC);
    ASSERT_GE(full, 0);
    const Status status = write_coded(coded, CodedKind::Mp3, {}, full, scratch / "a.mp3");
    ::close(full);
    ASSERT_FALSE(status.ok());
    EXPECT_EQ(status.error().kind, ErrorKind::DiskFull) << status.error().message;

    const std::atomic<bool> stop{true};
    const int fd = ::open((scratch / "b.mp3").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    const Status stopped = write_coded(coded, CodedKind::Mp3, {}, fd, scratch / "b.mp3", {{}, &stop});
    ::close(fd);
    ASSERT_FALSE(stopped.ok());
    EXPECT_EQ(stopped.error().kind, ErrorKind::Cancelled);
}

TEST(CodedFile, WhatCannotBeReadStopsIt) {
    const test::Scratch scratch;
    const int fd = ::open((scratch / "a.opus").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    const CodedSound broken{48000, 1, 48000, [](std::int64_t, std::int64_t, AudioBlock&) -> Status {
                                return make_error(ErrorKind::Io, "It cannot be read.");
                            }};
    const Status status = write_coded(broken, CodedKind::Opus, {}, fd, scratch / "a.opus");
    ::close(fd);
    ASSERT_FALSE(status.ok());
    EXPECT_EQ(status.error().message, "It cannot be read.");
}

}  // namespace
}  // namespace rivlen
