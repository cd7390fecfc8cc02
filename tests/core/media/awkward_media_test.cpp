// SPDX-License-Identifier: GPL-3.0-or-later
// Media as they should not be, made here with libav and compared sample by sample with what they were made
// from: streams that change in the middle, holes and overlaps of timestamps, late starts, files that are cut
// short, play lists that pretend to be recordings.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <array>
#include <atomic>
#include <cmath>
#include <fstream>
#include <functional>
#include <numbers>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "core/media/libav.h"
#include "core/media/source.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;

// One stretch of a stream: so many channels at a rate, from a time on.
struct Stretch {
    int sample_rate = 48000;
    int channels = 2;
    double at_seconds = 0;  // its timestamps begin here
    double seconds = 1;
};

float sample_of(int sample_rate, int channel, std::int64_t frame) {
    const double hz = channel == 0 ? 330.0 : 550.0;
    return static_cast<float>(0.25 *
                              std::sin(2 * std::numbers::pi * hz * static_cast<double>(frame) / sample_rate));
}

// 16-bit PCM packets in Matroska, whose timestamps are what a test says they are.
void write_packets(const std::filesystem::path& path, const std::vector<Stretch>& stretches) {
    AVFormatContext* raw = nullptr;
    ASSERT_GE(avformat_alloc_output_context2(&raw, nullptr, "matroska", path.c_str()), 0);
    AVStream* stream = avformat_new_stream(raw, nullptr);
    stream->codecpar->codec_type = AVMEDIA_TYPE_AUDIO;
    stream->codecpar->codec_id = AV_CODEC_ID_PCM_S16LE;
    stream->codecpar->sample_rate = stretches[0].sample_rate;
    stream->codecpar->format = AV_SAMPLE_FMT_S16;
    stream->codecpar->bits_per_coded_sample = 16;
    av_channel_layout_default(&stream->codecpar->ch_layout, stretches[0].channels);
    stream->time_base = {1, 1000};
    ASSERT_GE(avio_open(&raw->pb, path.c_str(), AVIO_FLAG_WRITE), 0);
    ASSERT_GE(avformat_write_header(raw, nullptr), 0);
    const libav::Packet packet(av_packet_alloc());
    for (const auto& s : stretches) {
        const int step = s.sample_rate / 50;
        const auto total = static_cast<std::int64_t>(s.seconds * s.sample_rate);
        const auto first = static_cast<std::int64_t>(s.at_seconds * s.sample_rate);
        for (std::int64_t at = 0; at < total; at += step) {
            ASSERT_EQ(av_new_packet(packet.get(), step * s.channels * 2), 0);
            auto* out = reinterpret_cast<std::int16_t*>(packet->data);
            for (int i = 0; i < step; ++i) {
                for (int c = 0; c < s.channels; ++c)
                    out[i * s.channels + c] = static_cast<std::int16_t>(std::lround(
                        32767.0 * static_cast<double>(sample_of(s.sample_rate, c, first + at + i))));
            }
            packet->pts = packet->dts =
                std::llround((s.at_seconds + static_cast<double>(at) / s.sample_rate) * 1000);
            packet->duration = 20;
            packet->stream_index = 0;
            av_packet_rescale_ts(packet.get(), {1, 1000}, stream->time_base);
            ASSERT_GE(av_write_frame(raw, packet.get()), 0);
            av_packet_unref(packet.get());
        }
    }
    ASSERT_GE(av_write_trailer(raw), 0);
    avio_closep(&raw->pb);
    avformat_free_context(raw);
}

struct Decoded {
    Channels channels;
    DecodingNotes notes;
    int sample_rate = 0;
};
Decoded decode(const std::filesystem::path& path) {
    Decoded out;
    auto decoder = AudioDecoder::open(path);
    EXPECT_TRUE(decoder.ok()) << (decoder ? "" : decoder.error().message);
    out.channels.resize(1);
    if (!decoder) return out;
    const auto channels = static_cast<std::size_t>(decoder->info().channels);
    out.sample_rate = decoder->info().sample_rate;
    out.channels.resize(channels);
    while (true) {
        const auto block = decoder->read();
        EXPECT_TRUE(block.ok());
        if (!block || block->empty()) break;
        for (std::size_t i = 0; i < block->size(); ++i) out.channels[i % channels].push_back((*block)[i]);
    }
    out.notes = decoder->notes();
    return out;
}

void expect_tone(const std::vector<float>& x, std::int64_t from, std::int64_t to, int rate, int channel) {
    for (std::int64_t i = from; i < to; ++i)
        ASSERT_NEAR(static_cast<double>(x[static_cast<std::size_t>(i)]),
                    static_cast<double>(sample_of(rate, channel, i)), 1e-4)
            << "frame " << i;
}

TEST(AwkwardMedia, AHoleInTheTimestampsIsSilenceAndWhatFollowsStaysInStep) {
    const test::Scratch scratch;
    const auto path = scratch / "hole.mka";
    write_packets(path, {{48000, 2, 0, 1}, {48000, 2, 6, 1}});
    const Decoded sound = decode(path);
    ASSERT_EQ(sound.channels[0].size(), 7U * 48000);
    for (int c = 0; c < 2; ++c) {
        const auto& x = sound.channels[static_cast<std::size_t>(c)];
        expect_tone(x, 0, 48000, 48000, c);
        for (std::size_t i = 48000; i < 6 * 48000; ++i) ASSERT_EQ(x[i], 0.0F);
        expect_tone(x, 6 * 48000, 7 * 48000, 48000, c);
    }
    EXPECT_EQ(sound.notes.holes, 1U);
    EXPECT_NEAR(sound.notes.hole_seconds, 5, 0.01);
    ASSERT_EQ(sound.notes.sentences().size(), 1U);
    EXPECT_NE(sound.notes.sentences()[0].find("5.0 s are missing"), std::string::npos);
}

// Pieces of a transport stream, each with timestamps of its own, one behind the other.
void write_transport_stream(const std::filesystem::path& path,
                            std::initializer_list<std::pair<double, double>> pieces) {
    std::string all;
    for (const auto& [at, seconds] : pieces) {
        const std::string piece = path.string() + ".piece.ts";
        const std::string command = fmt::format(
            "ffmpeg -v error -y -f lavfi -i 'sine=frequency=330:sample_rate=48000:duration={}' -c:a mp2 "
            "-muxdelay 0 "
            "-muxpreload 0 -output_ts_offset {} '{}'",
            seconds, at, piece);
        ASSERT_EQ(std::system(command.c_str()), 0) << command;  // NOLINT(concurrency-mt-unsafe)
        all += *read_text_file(piece);
    }
    ASSERT_TRUE(write_text_file(path, all).ok());
}

TEST(AwkwardMedia, WhatIsThereTwiceIsHeardOnce) {
    const test::Scratch scratch;
    write_transport_stream(scratch / "overlap.ts", {{0, 2}, {1, 2}});
    const Decoded sound = decode(scratch / "overlap.ts");
    EXPECT_NEAR(static_cast<double>(sound.channels[0].size()) / 48000, 3.0, 0.1);
    EXPECT_EQ(sound.notes.overlaps, 1U);
}

// Files joined one behind the other begin their clock anew: nothing of them is lost.
TEST(AwkwardMedia, AClockThatBeginsAnewLosesNothing) {
    const test::Scratch scratch;
    write_transport_stream(scratch / "joined.ts", {{100, 2}, {0, 2}, {5, 1}});
    const Decoded sound = decode(scratch / "joined.ts");
    // All of it, and a hole of 3 s before the last piece.
    EXPECT_NEAR(static_cast<double>(sound.channels[0].size()) / 48000, 5.0 + 3.0, 0.2);
    EXPECT_EQ(sound.notes.holes, 1U);
    EXPECT_EQ(sound.notes.overlaps, 0U);
}

// Timestamps that are rounded are no holes.
TEST(AwkwardMedia, RoundedTimestampsAreNoHoles) {
    const test::Scratch scratch;
    const auto path = scratch / "rounded.mka";
    write_packets(path, {{44100, 2, 0, 3}});
    const Decoded sound = decode(path);
    EXPECT_EQ(sound.channels[0].size(), 3U * 44100);
    EXPECT_TRUE(sound.notes.sentences().empty());
    expect_tone(sound.channels[1], 0, 3 * 44100, 44100, 1);
}

// MPEG audio is a row of frames that each say for themselves what they are: two files joined are a file.
struct Joined {
    const char* name;
    const char* first;   // filter of ffmpeg that makes the channels of the first part
    const char* second;  // and of the second
    int sample_rate, second_rate, channels;
};
class JoinedStreams : public testing::TestWithParam<Joined> {};

TEST_P(JoinedStreams, AreBroughtToWhatTheyBeginWith) {
    const test::Scratch scratch;
    const auto& p = GetParam();
    const auto part = [&](const char* filter, int rate, const char* ending) {
        const auto file = scratch / (std::string("part") + ending + p.name);
        const std::string command = fmt::format(
            "ffmpeg -v error -f lavfi -i 'sine=frequency=440:duration=2,volume=0.5' -af '{}' -ar {} '{}'",
            filter, rate, file.string());
        EXPECT_EQ(std::system(command.c_str()), 0) << command;  // NOLINT(concurrency-mt-unsafe)
        return *read_text_file(file);
    };
    const auto path = scratch / (std::string("joined") + p.name);
    ASSERT_TRUE(
        write_text_file(path, part(p.first, p.sample_rate, "1") + part(p.second, p.second_rate, "2")).ok());
    const Decoded sound = decode(path);
    ASSERT_EQ(sound.channels.size(), static_cast<std::size_t>(p.channels));
    EXPECT_EQ(sound.sample_rate, p.sample_rate);
    EXPECT_GE(sound.notes.format_changes, 1U);
    const auto frames = static_cast<double>(sound.channels[0].size());
    EXPECT_NEAR(frames / p.sample_rate, 4.0, 0.2);
    // The tone goes on at its pitch: as many zero crossings a second in the second half as in the first.
    const auto crossings = [&](const std::vector<float>& x, double from, double to) {
        int n = 0;
        for (auto i = static_cast<std::size_t>(from * p.sample_rate);
             i < static_cast<std::size_t>(to * p.sample_rate); ++i)
            n += (x[i] < 0) != (x[i + 1] < 0) ? 1 : 0;
        return n / (to - from);
    };
    // Two channels become left and right of six: the others are silent there.
    for (std::size_t c = 0; c < std::min<std::size_t>(sound.channels.size(), 2); ++c) {
        const auto& x = sound.channels[c];
        EXPECT_NEAR(crossings(x, 0.5, 1.5), 880, 6);
        EXPECT_NEAR(crossings(x, 2.6, 3.6), 880, 6);
        const auto level = [&](double from) {
            return db_of_power(energy_of(std::span(x).subspan(static_cast<std::size_t>(from * p.sample_rate),
                                                              static_cast<std::size_t>(p.sample_rate))));
        };
        EXPECT_NEAR(level(2.6), level(0.5), 0.5);  // on every channel, and as loud
    }
}

// Every channel as loud as the tone itself: ffmpeg's own way from one channel to two takes 3 dB away.
constexpr const char* kMono = "pan=mono|c0=c0";
constexpr const char* kStereo = "pan=stereo|c0=c0|c1=c0";
constexpr const char* kSurround = "pan=5.1|c0=c0|c1=c0|c2=c0|c3=c0|c4=c0|c5=c0";

INSTANTIATE_TEST_SUITE_P(Kinds, JoinedStreams,
                         testing::Values(Joined{".mp3", kStereo, kMono, 44100, 44100, 2},
                                         Joined{".mp3", kMono, kStereo, 44100, 44100, 1},
                                         Joined{".mp3", kStereo, kStereo, 44100, 48000, 2},
                                         Joined{".aac", kStereo, kMono, 48000, 48000, 2},
                                         Joined{".ac3", kSurround, kStereo, 48000, 48000, 6}));

// Heads with flipped bits change layout and rate at random: whatever is made of them, it is sound.
TEST(AwkwardMedia, FlippedBitsInHeadsDoNotCrash) {
    const test::Scratch scratch;
    const auto made = scratch / "good.mp3";
    const std::string command =
        "ffmpeg -v error -f lavfi -i 'sine=frequency=440:duration=2' -ac 2 -joint_stereo 1 '" +
        made.string() + "'";
    ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT(concurrency-mt-unsafe)
    const std::string good = *read_text_file(made);
    std::vector<std::size_t> heads;
    for (std::size_t i = 600; i + 4 < good.size(); ++i) {
        if (static_cast<unsigned char>(good[i]) == 0xFF &&
            (static_cast<unsigned char>(good[i + 1]) & 0xE0U) == 0xE0U)
            heads.push_back(i);
    }
    ASSERT_GT(heads.size(), 20U);
    for (int bit = 0; bit < 16; ++bit) {
        for (const std::size_t head : {heads[3], heads[heads.size() / 2]}) {
            std::string bad = good;
            bad[head + 2 + static_cast<std::size_t>(bit / 8)] =
                static_cast<char>(bad[head + 2 + static_cast<std::size_t>(bit / 8)] ^ (1 << (bit % 8)));
            const auto path = scratch / "bad.mp3";
            ASSERT_TRUE(write_text_file(path, bad).ok());
            const Decoded sound = decode(path);
            for (const auto& channel : sound.channels) {
                ASSERT_TRUE(std::ranges::all_of(channel, [](float x) { return std::isfinite(x); }));
                EXPECT_NEAR(static_cast<double>(channel.size()) / sound.sample_rate, 2.0, 0.2);
            }
        }
    }
}

TEST(AwkwardMedia, FilesThatAreCutShortGiveWhatTheyHold) {
    const test::Scratch scratch;
    for (const char* ending : {".flac", ".ogg", ".mp3", ".wav"}) {
        const auto whole = scratch / (std::string("whole") + ending);
        const std::string command =
            "ffmpeg -v error -f lavfi -i 'sine=frequency=440:duration=3' -ac 1 '" + whole.string() + "'";
        ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT(concurrency-mt-unsafe)
        const std::string bytes = *read_text_file(whole);
        const Decoded all = decode(whole);
        for (int percent = 1; percent < 100; ++percent) {
            const auto path = scratch / (std::string("cut") + ending);
            ASSERT_TRUE(
                write_text_file(path, bytes.substr(0, bytes.size() * static_cast<std::size_t>(percent) / 100))
                    .ok());
            auto decoder = AudioDecoder::open(path);
            if (!decoder) {
                EXPECT_FALSE(decoder.error().message.empty());
                EXPECT_LT(percent, std::string(ending) == ".ogg" ? 70 : 30)
                    << ending;  // only what lacks its head cannot be opened
                continue;
            }
            std::vector<float> held;
            while (true) {
                const auto block = decoder->read();
                if (!block || block->empty()) break;
                held.insert(held.end(), block->begin(), block->end());
            }
            ASSERT_LE(held.size(), all.channels[0].size() + 4096);
            // What comes before the cut is what it was: packets that are cut themselves may differ.
            for (std::size_t i = 0; i + 8192 < held.size(); ++i)
                ASSERT_NEAR(static_cast<double>(held[i]), static_cast<double>(all.channels[0][i]), 1e-4)
                    << ending;
        }
    }
}

// Play lists lead to other files, or to nowhere without an end; they are no recordings.
TEST(AwkwardMedia, AListOfOtherFilesIsNoRecording) {
    const test::Scratch scratch;
    test::write_wav(scratch / "secret.wav", {test::noise(4800, 1)}, 48000);
    const std::string secret = (scratch / "secret.wav").string();
    const std::array<std::pair<const char*, std::string>, 3> lists = {
        {{"list.wav", "ffconcat version 1.0\nfile '" + secret + "'\n"},
         {"list.m3u8", "#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\n" + secret + "\n"},
         {"live.wav",
          "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXT-X-MEDIA-SEQUENCE:0\n#EXTINF:1,\n" + secret + "\n"}}};
    for (const auto& [name, text] : lists) {
        ASSERT_TRUE(write_text_file(scratch / name, text).ok());
        const auto opened = AudioDecoder::open(scratch / name);
        ASSERT_FALSE(opened.ok()) << name;
        EXPECT_EQ(opened.error().kind, ErrorKind::BadInput);
    }
}

TEST(AwkwardMedia, DevicesAndPipesAreNoRecordings) {
    const test::Scratch scratch;
    const auto pipe = scratch / "pipe.wav";
    ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
    for (const std::filesystem::path& path : {pipe, std::filesystem::path("/dev/zero")}) {
        const auto info = probe(path);
        ASSERT_FALSE(info.ok());
        EXPECT_NE(info.error().message.find("device or a pipe"), std::string::npos);
    }
}

TEST(AwkwardMedia, SamplesThatAreNoNumbersOrTooLoudAreBoundedAndTold) {
    const test::Scratch scratch;
    Channels x = {test::noise(48000, 1)};
    x[0][10] = std::numeric_limits<float>::quiet_NaN();
    x[0][20] = std::numeric_limits<float>::infinity();
    x[0][30] = 3e38F;
    x[0][40] = -1e20F;
    test::write_wav(scratch / "odd.wav", x, 48000);
    const auto source = Source::bring_in(scratch / "odd.wav", scratch / "work");
    ASSERT_TRUE(source.ok());
    EXPECT_EQ(source->warnings().size(), 2U);
    EXPECT_EQ(source->samples()[10], 0.0F);
    EXPECT_EQ(source->samples()[30], 1e4F);
    EXPECT_EQ(source->samples()[40], -1e4F);
    EXPECT_EQ(source->samples()[50], x[0][50]);
}

// Whoever waits for a file can be let go: before it is open, and in the middle of reading it.
TEST(AwkwardMedia, ReadingStopsWhenAsked) {
    const test::Scratch scratch;
    const auto path = scratch / "long.mka";
    write_packets(path, {{48000, 2, 0, 20}});
    std::atomic<bool> stop{true};
    const auto info = probe(path, &stop);
    ASSERT_FALSE(info.ok());
    EXPECT_EQ(info.error().kind, ErrorKind::Cancelled);
    stop = false;
    ASSERT_TRUE(probe(path, &stop).ok());
    auto decoder = AudioDecoder::open(path, -1, &stop);
    ASSERT_TRUE(decoder.ok());
    ASSERT_FALSE(decoder->read()->empty());
    stop = true;
    // What was decoded already may still come; then it ends, and as what it is.
    Result<std::vector<float>> block = decoder->read();
    std::size_t blocks = 0;
    while (block.ok() && !block->empty()) {
        block = decoder->read();
        ASSERT_LT(++blocks, 100U);
    }
    ASSERT_FALSE(block.ok());
    EXPECT_EQ(block.error().kind, ErrorKind::Cancelled);
    // Bringing in by a job that is cancelled leaves no working copy.
    EXPECT_EQ(Source::bring_in(path, scratch / "work", {{}, &stop}).error().kind, ErrorKind::Cancelled);
    std::error_code error;
    if (std::filesystem::exists(scratch / "work", error)) {
        EXPECT_TRUE(std::filesystem::is_empty(scratch / "work"));
    }
}

}  // namespace
}  // namespace rivlen
