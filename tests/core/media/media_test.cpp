// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>
#include <sndfile.h>
#include <unistd.h>

#include <cmath>
#include <fstream>
#include <limits>
#include <tuple>

#include "core/dsp/resample.h"
#include "core/media/decode.h"
#include "core/media/picture.h"
#include "core/media/sound_file.h"
#include "core/media/timecode.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

void raw_wav(const std::filesystem::path& path, const std::vector<float>& samples, int rate, int channels) {
    SF_INFO info{};
    info.samplerate = rate;
    info.channels = channels;
    info.format = SF_FORMAT_WAV | SF_FORMAT_FLOAT;
    SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
    ASSERT_NE(file, nullptr);
    sf_writef_float(file, samples.data(), static_cast<sf_count_t>(samples.size()) / channels);
    sf_close(file);
}

// Every kind of input that cannot be used: a sentence that names the file and says what to do, and nothing
// left behind.
void expect_refused(const Scratch& scratch, const std::filesystem::path& path, ErrorKind kind) {
    auto source = Source::bring_in(path, scratch / "work");
    ASSERT_FALSE(source.ok()) << path;
    EXPECT_EQ(source.error().kind, kind) << source.error().message;
    EXPECT_NE(source.error().message.find(path.filename().string()), std::string::npos)
        << source.error().message;
    EXPECT_EQ(source.error().message.back(), '.');
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(BadInput, EachIsRefusedWithASentence) {
    const Scratch scratch;
    std::ofstream(scratch / "notes.txt") << "This is no sound at all, only some words in a file.\n";
    expect_refused(scratch, scratch / "notes.txt", ErrorKind::BadInput);
    std::ofstream(scratch / "empty.wav").close();
    expect_refused(scratch, scratch / "empty.wav", ErrorKind::BadInput);
    expect_refused(scratch, scratch / "missing.wav", ErrorKind::NotFound);
    raw_wav(scratch / "zero.wav", {}, 48000, 1);
    expect_refused(scratch, scratch / "zero.wav", ErrorKind::BadInput);
    raw_wav(scratch / "many.wav", std::vector<float>(65 * 100, 0.1F), 48000, 65);  // 22.2
    expect_refused(scratch, scratch / "many.wav", ErrorKind::Unsupported);
    raw_wav(scratch / "fast.wav", std::vector<float>(1000, 0.1F), 768000, 1);
    expect_refused(scratch, scratch / "fast.wav", ErrorKind::Unsupported);
    expect_refused(scratch, scratch.folder(), ErrorKind::BadInput);
}

// Root reads everything: for the length of the call this process is nobody.
class AsNobody {
  public:
    AsNobody() : was_(geteuid()) {
        if (was_ == 0) changed_ = seteuid(65534) == 0;
    }
    ~AsNobody() {
        if (changed_) std::ignore = seteuid(was_);
    }
    AsNobody(const AsNobody&) = delete;
    AsNobody& operator=(const AsNobody&) = delete;

  private:
    uid_t was_;
    bool changed_ = false;
};

TEST(BadInput, AFileThatMayNotBeReadSaysSo) {
    const Scratch scratch;
    const auto path = scratch / "locked.wav";
    raw_wav(path, std::vector<float>(1000, 0.1F), 48000, 1);
    std::filesystem::permissions(scratch.folder(), std::filesystem::perms::all);
    std::filesystem::permissions(path, std::filesystem::perms::none);
    const AsNobody nobody;
    const auto info = probe(path);
    ASSERT_FALSE(info.ok());
    EXPECT_EQ(info.error().kind, ErrorKind::Io);
    EXPECT_NE(info.error().message.find("locked.wav"), std::string::npos);
    EXPECT_NE(info.error().message.find("permission"), std::string::npos) << info.error().message;
}

TEST(BadInput, PictureWithoutSoundIsRefused) {
    const Scratch scratch;
    const auto path = scratch / "silent.mov";
    const std::string command =
        "ffmpeg -v error -i '" + test::demo_picture().string() + "' -an -c copy -t 1 '" + path.string() + "'";
    ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT
    expect_refused(scratch, path, ErrorKind::BadInput);
}

TEST(BadInput, OneSampleIsARecording) {
    const Scratch scratch;
    raw_wav(scratch / "one.wav", {0.5F}, 48000, 1);
    auto source = Source::bring_in(scratch / "one.wav", scratch / "work");
    ASSERT_TRUE(source.ok()) << source.error().message;
    EXPECT_EQ(source->frames(), 1U);
    EXPECT_EQ(source->samples()[0], 0.5F);
}

TEST(BadInput, SamplesThatAreNoNumbersBecomeSilenceAndAreReported) {
    const Scratch scratch;
    std::vector<float> samples(1000, 0.25F);
    samples[10] = std::numeric_limits<float>::quiet_NaN();
    samples[20] = std::numeric_limits<float>::infinity();
    raw_wav(scratch / "nan.wav", samples, 48000, 1);
    auto source = Source::bring_in(scratch / "nan.wav", scratch / "work");
    ASSERT_TRUE(source.ok());
    EXPECT_EQ(source->samples()[10], 0.0F);
    EXPECT_EQ(source->samples()[20], 0.0F);
    EXPECT_EQ(source->samples()[30], 0.25F);
    ASSERT_EQ(source->warnings().size(), 1U);
    EXPECT_NE(source->warnings()[0].find("2 samples"), std::string::npos);
}

TEST(BadInput, ATruncatedFileGivesWhatIsThereAndSaysSo) {
    const Scratch scratch;
    const auto path = scratch / "cut.mov";
    // The index of a MOV made for streaming stands in front: the rest can be cut off.
    const std::string command = "ffmpeg -v error -i '" + test::demo_picture().string() +
                                "' -c copy -movflags faststart '" + path.string() + "'";
    ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT
    std::filesystem::resize_file(path, std::filesystem::file_size(path) / 2);
    auto source = Source::bring_in(path, scratch / "work");
    ASSERT_TRUE(source.ok()) << source.error().message;
    EXPECT_GT(source->seconds(), 10.0);
    EXPECT_LT(source->seconds(), 40.0);
    EXPECT_FALSE(source->warnings().empty());
}

TEST(Source, KeepsEverySampleAndIsFoundAgain) {
    const Scratch scratch;
    const test::Channels sound = {test::noise(5000, 1), test::noise(5000, 2)};
    test::write_wav(scratch / "two.wav", sound, 44100);
    auto first = Source::bring_in(scratch / "two.wav", scratch / "work");
    ASSERT_TRUE(first.ok());
    EXPECT_EQ(first->channels(), 2);
    std::vector<float> right(5000);
    first->read(1, 0, right);
    EXPECT_EQ(right, sound[1]);
    first->read(1, -10, right);
    EXPECT_EQ(right[9], 0.0F);
    EXPECT_EQ(right[10], sound[1][0]);
    auto second = Source::bring_in(scratch / "two.wav", scratch / "work");
    ASSERT_TRUE(second.ok());
    EXPECT_EQ(second->hash(), first->hash());
}

TEST(Source, CancelLeavesNothing) {
    const Scratch scratch;
    test::write_wav(scratch / "a.wav", {test::noise(48000, 1)}, 48000);
    const std::atomic<bool> cancel{true};
    auto source = Source::bring_in(scratch / "a.wav", scratch / "work", {{}, &cancel});
    ASSERT_FALSE(source.ok());
    EXPECT_EQ(source.error().kind, ErrorKind::Cancelled);
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(Probe, TellsPictureAndTimecodeOfTheDemo) {
    auto info = probe(test::demo_picture());
    ASSERT_TRUE(info.ok());
    ASSERT_TRUE(info->picture.has_value());
    EXPECT_EQ(info->picture->width, 640);
    EXPECT_EQ(info->picture->frame_rate_num / info->picture->frame_rate_den, 25);
    EXPECT_EQ(info->picture->timecode, "01:00:00:00");
    ASSERT_EQ(info->audio.size(), 1U);
    EXPECT_EQ(info->audio[0].sample_rate, 48000);
}

TEST(Picture, FrameUnderATimeBackAndForth) {
    auto reader = PictureReader::open(test::demo_picture());
    ASSERT_TRUE(reader.ok());
    for (const double at : {10.0, 10.02, 10.04, 3.5, 43.9, 0.0}) {
        auto frame = reader->frame_at(at, 160, 90);
        ASSERT_TRUE(frame.ok()) << at;
        EXPECT_LE(frame->seconds, at + 1e-3);
        EXPECT_GT(frame->seconds, at - 0.0401);
        EXPECT_EQ(frame->width, 160);
        EXPECT_EQ(frame->rgb.size(), 160U * 90U * 3U);
    }
}

TEST(SoundFile, EveryFormatComesBack) {
    const Scratch scratch;
    const test::Channels sound = {test::noise(4800, 3), test::noise(4800, 4)};
    for (const auto format : {SoundFormat::WavFloat, SoundFormat::Wav24, SoundFormat::Flac24}) {
        const auto path =
            scratch / (std::string("x") + std::to_string(static_cast<int>(format)) + extension_of(format));
        auto writer = SoundFileWriter::create(path, format, 48000, 2);
        ASSERT_TRUE(writer.ok());
        ASSERT_TRUE(writer->write(sound).ok());
        EXPECT_FALSE(std::filesystem::exists(path));
        ASSERT_TRUE(writer->commit().ok());
        const auto back = test::read_wav(path);
        ASSERT_EQ(back.size(), 2U);
        ASSERT_EQ(back[0].size(), 4800U);
        const float limit = format == SoundFormat::WavFloat ? 0.0F : 1.0F / 8388608.0F;
        for (std::size_t i = 0; i < 4800; ++i) ASSERT_NEAR(back[1][i], sound[1][i], limit);
    }
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(SoundFile, AnUnwritableFolderIsNamed) {
    auto writer = SoundFileWriter::create("/proc/rivlen.wav", SoundFormat::WavFloat, 48000, 1);
    ASSERT_FALSE(writer.ok());
    EXPECT_NE(writer.error().message.find("/proc/rivlen.wav"), std::string::npos);
}

// A sine keeps its level and phase through the converter: compared with the same sine made at the new rate.
TEST(Resample, SineStaysInPlace) {
    std::vector<float> in(44100);
    for (std::size_t i = 0; i < in.size(); ++i)
        in[i] = static_cast<float>(0.5 * std::sin(2 * M_PI * 997.0 * static_cast<double>(i) / 44100.0));
    const auto out = resample(in, 44100, 48000);
    ASSERT_EQ(out.size(), 48000U);
    for (std::size_t i = 4000; i < 44000; ++i) {
        ASSERT_NEAR(out[i], 0.5 * std::sin(2 * M_PI * 997.0 * static_cast<double>(i) / 48000.0), 1e-5) << i;
    }
}

// SMPTE ST 12-1: at 29.97 drop-frame, numbers 00 and 01 are left out each minute but the tenth ones; after
// one hour the count stands at 107892 frames.
TEST(Timecode, DropFrameOfSt12) {
    const FrameRate ntsc{30000, 1001};
    EXPECT_EQ(format_timecode(1799, ntsc, true), "00:00:59;29");
    EXPECT_EQ(format_timecode(1800, ntsc, true), "00:01:00;02");
    EXPECT_EQ(format_timecode(17982, ntsc, true), "00:10:00;00");
    EXPECT_EQ(format_timecode(107892, ntsc, true), "01:00:00;00");
    EXPECT_EQ(parse_timecode("00:01:00;00", ntsc), std::nullopt);
    for (std::int64_t frame = 0; frame < 120000; frame += 37) {
        ASSERT_EQ(parse_timecode(format_timecode(frame, ntsc, true), ntsc), frame);
    }
    const FrameRate film{24, 1};
    EXPECT_EQ(format_timecode(24 * 3600 + 23, film, false), "01:00:00:23");
    EXPECT_EQ(parse_timecode("01:00:00:24", film), std::nullopt);
    EXPECT_EQ(parse_timecode("1:2", film), std::nullopt);
}

}  // namespace
}  // namespace rivlen
