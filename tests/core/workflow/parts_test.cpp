// SPDX-License-Identifier: GPL-3.0-or-later
// Files of several streams and many channels, made by FFmpeg and by the writer of Broadcast WAVs.
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

#include "core/base/output_file.h"
#include "core/delivery/written_sound.h"
#include "core/dsp/decibels.h"
#include "core/media/ixml.h"
#include "core/media/source.h"
#include "core/workflow/parts.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;
using test::quoted;

// What a field recorder writes: so many tracks with names, at a time of the day.
std::filesystem::path poly_wav(const test::Scratch& scratch, const std::vector<std::string>& names,
                               const Channels& sound, const char* file = "poly.wav") {
    auto scratch_sound = ScratchSound::create(scratch.folder(), 48000, static_cast<int>(sound.size()));
    EXPECT_TRUE(scratch_sound->append(sound).ok());
    SoundDescription said;
    said.track_names = names;
    said.timecode_rate = "30000/1001";
    said.drop_frame = true;
    said.time_reference_frames = 48000ULL * 3600 * 10;
    EXPECT_TRUE(
        write_sound(*scratch_sound, Container::Wav, Depth::Float32, said, scratch / file, true, {}).ok());
    return scratch / file;
}

Channels seven_microphones() {
    Channels sound;
    for (unsigned c = 0; c < 7; ++c) sound.push_back(test::noise(24000, c + 1));
    std::ranges::fill(sound[5], 0.0F);
    return sound;
}

TEST(Ixml, IsReadAsItWasSaid) {
    const test::Scratch scratch;
    const auto file =
        poly_wav(scratch, {"Boom", "Ferry & <mate>", "Mix L", "Mix R"}, Channels(4, test::noise(4800, 1)));
    const auto facts = ixml_facts(file);
    ASSERT_TRUE(facts.has_value());
    EXPECT_EQ(facts->track_names, (std::vector<std::string>{"Boom", "Ferry & <mate>", "Mix L", "Mix R"}));
    EXPECT_EQ(facts->timecode_rate, (FrameRate{30000, 1001}));
    EXPECT_TRUE(facts->drop_frame);
    EXPECT_EQ(facts->samples_since_midnight, 48000ULL * 3600 * 10);
    EXPECT_FALSE(ixml_facts("/nowhere.wav").has_value());
    std::ofstream(scratch / "text.wav") << "RIFF1234WAVEiXML";
    EXPECT_FALSE(ixml_facts(scratch / "text.wav").has_value());
}

TEST(Parts, OfAFileWithADefinitionModelAreItsObjects) {
    const test::Scratch scratch;
    Channels sound;
    for (unsigned c = 0; c < 9; ++c) sound.push_back(test::noise(24000, c + 1));
    auto scratch_sound = ScratchSound::create(scratch.folder(), 48000, 9);
    ASSERT_TRUE(scratch_sound->append(sound).ok());
    SoundDescription said;
    said.adm.emplace();
    said.adm->content = "Bed of the quay";
    said.adm->frames = 24000;
    const ObjectBlock ahead = {0, 0.5, {0, 0}, 0};
    said.adm->objects = {{1, "Ferryman", {{ahead}}}, {2, "Gulls", {{ahead}, {ahead}}}};
    ASSERT_TRUE(
        write_sound(*scratch_sound, Container::Wav, Depth::Float32, said, scratch / "quay.wav", true, {})
            .ok());
    const auto file = channels_of_file(scratch / "quay.wav");
    ASSERT_TRUE(file.ok());
    EXPECT_EQ(file->channels[0].name, "Left");
    EXPECT_EQ(file->channels[6].name, "Ferryman");
    const auto parts = likely_parts(*file);
    ASSERT_EQ(parts.size(), 3U);
    EXPECT_EQ(parts[0].name, "Bed of the quay");
    EXPECT_EQ(parts[0].channels.size(), 6U);
    EXPECT_EQ(parts[1].name, "Ferryman");
    EXPECT_EQ(parts[2].name, "Gulls");
    EXPECT_EQ(parts[2].channels.size(), 2U);
}

TEST(Parts, OfAFieldRecordersFileGoByTheNamesOfItsTracks) {
    const test::Scratch scratch;
    const auto sound = seven_microphones();
    const auto file = poly_wav(scratch, {"Mix L", "Mix R", "Boom", "Lena", "Jonas", "spare", ""}, sound);
    const auto channels = channels_of_file(file);
    ASSERT_TRUE(channels.ok());
    ASSERT_EQ(channels->channels.size(), 7U);
    EXPECT_EQ(channels->channels[3].name, "Lena");
    EXPECT_FALSE(channels->channels[5].peak_dbfs.has_value());
    const auto parts = likely_parts(*channels);
    ASSERT_EQ(parts.size(), 5U);  // the spare one is silent
    EXPECT_EQ(parts[0].name, "Mix");
    EXPECT_EQ(parts[0].channels.size(), 2U);
    EXPECT_EQ(parts[1].name, "Boom");
    EXPECT_EQ(parts[4].name, "part 5");
    const auto before = *read_text_file(file);
    const auto written = write_parts(file, parts, scratch / "parts", scratch / "work");
    ASSERT_TRUE(written.ok()) << written.error().message;
    ASSERT_EQ(written->size(), 5U);
    EXPECT_EQ((*written)[0].filename(), "poly - Mix.wav");
    EXPECT_EQ(test::read_wav((*written)[0]), (Channels{sound[0], sound[1]}));
    EXPECT_EQ(test::read_wav((*written)[2]), (Channels{sound[3]}));
    const auto info = probe((*written)[2]);  // with the file's own time of the day
    ASSERT_TRUE(info.ok());
    EXPECT_NEAR(info->time_reference_seconds.value_or(0), 36000, 1e-6);
    EXPECT_EQ(ixml_facts((*written)[2])->track_names, std::vector<std::string>{"Lena"});
    EXPECT_EQ(*read_text_file(file), before);
    // Again: names of their own.
    const auto again = write_parts(file, {parts[1]}, scratch / "parts", scratch / "work");
    ASSERT_TRUE(again.ok());
    EXPECT_EQ((*again)[0].filename(), "poly - Boom 2.wav");
}

// By what files say of themselves, without listening.
TEST(Parts, AreAskedForWhereThereAreSeveral) {
    const test::Scratch scratch;
    const auto named = [&](const std::vector<std::string>& names) {
        return holds_several_parts(
            poly_wav(scratch, names, Channels(names.size(), test::noise(4800, 1)), "named.wav"));
    };
    EXPECT_FALSE(named({"Mix"}));
    EXPECT_FALSE(named({"Mix L", "Mix R"}));
    EXPECT_FALSE(named({"Left", "Right"}));
    EXPECT_TRUE(named({"Boom", "Lena"}));
    EXPECT_FALSE(
        named({"Mix L", "Mix R", "Mix C", "Mix LFE", "Mix Ls", "Mix Rs"}));  // as deliveries name them
    EXPECT_TRUE(named({"Mix L", "Mix R", "Boom", "Lena", "Jonas", "Radio"}));
    EXPECT_FALSE(named({"", ""}));
    EXPECT_FALSE(named({"", "", "", "", "", ""}));
    EXPECT_TRUE(named({"", "", "", "", "", "", ""}));  // seven channels are no bed
    EXPECT_FALSE(holds_several_parts(scratch / "none.wav"));
}

TEST(Parts, AreHeardWhereTheyAreLoudest) {
    const test::Scratch scratch;
    auto late = test::noise(48000 * 8, 2);
    for (std::size_t i = 0; i < late.size(); ++i) late[i] *= i < 240000 ? 0.01F : 0.5F;
    late[300000] = 0.9F;
    const auto file = poly_wav(scratch, {"Boom", "Lena"}, {test::noise(late.size(), 1), late});
    const auto channels = channels_of_file(file);
    ASSERT_TRUE(channels.ok());
    EXPECT_NEAR(channels->channels[1].peak_seconds, 6.25, 1e-4);
    const auto heard = excerpt_of_channel(file, channels->channels[1], 2);
    ASSERT_TRUE(heard.ok());
    ASSERT_EQ(heard->frames(), 96000U);
    for (std::size_t i = 0; i < heard->frames(); i += 991) ASSERT_EQ((*heard)[0][i], late[252000 + i]);
}

TEST(Parts, OfACamerasFileAreItsStreamsInStepWithThePicture) {
    const test::Scratch scratch;
    // Two mono streams, the second of which begins half a second behind the picture, and a 5.1 stream.
    const std::string command =
        "ffmpeg -v error -f lavfi -i testsrc=size=64x36:rate=25:duration=2 "
        "-f lavfi -i sine=frequency=300:duration=2:sample_rate=48000 "
        "-itsoffset 0.5 -f lavfi -i sine=frequency=500:duration=1.5:sample_rate=48000 "
        "-f lavfi -i "
        "'sine=frequency=200:duration=2:sample_rate=48000,pan=5.1|FL=c0|FR=0.5*c0|FC=0.25*c0|LFE=0.1*c0|BL=0."
        "05*c0|BR=0.02*c0' "
        "-map 0 -map 1 -map 2 -map 3 -c:v mpeg4 -c:a pcm_s24le "
        "-metadata:s:a:0 title=Boom -metadata:s:a:1 title=Radio -y " +
        quoted(scratch / "camera.mov");
    ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT
    const auto channels = channels_of_file(scratch / "camera.mov");
    ASSERT_TRUE(channels.ok());
    ASSERT_EQ(channels->channels.size(), 8U);
    const auto parts = likely_parts(*channels);
    ASSERT_EQ(parts.size(), 3U);
    EXPECT_EQ(parts[2].channels.size(), 6U);
    // Both microphones as one recording: side by side, in step.
    const PartOfFile both{"both", {parts[0].channels[0], parts[1].channels[0]}};
    const auto written =
        write_parts(scratch / "camera.mov", {both, parts[2]}, scratch / "parts", scratch / "work");
    ASSERT_TRUE(written.ok()) << written.error().message;
    const auto pair = test::read_wav((*written)[0]);
    ASSERT_EQ(pair.size(), 2U);
    EXPECT_EQ(pair[0].size(), 96000U);
    const auto first_sound = std::ranges::find_if(pair[1], [](float x) { return std::abs(x) > 0.01F; });
    EXPECT_NEAR(static_cast<double>(first_sound - pair[1].begin()), 24000, 40);
    const auto bed = test::read_wav((*written)[1]);
    ASSERT_EQ(bed.size(), 6U);
    for (std::size_t c = 1; c < 6; ++c) EXPECT_LT(energy_of(bed[c]), energy_of(bed[c - 1])) << c;
}

TEST(Parts, OfDifferentRatesAreRefusedAndNothingIsLeft) {
    const test::Scratch scratch;
    const std::string command =
        "ffmpeg -v error -f lavfi -i sine=duration=1:sample_rate=48000 -f lavfi -i "
        "sine=duration=1:sample_rate=44100 "
        "-map 0 -map 1 -c:a pcm_s16le -y " +
        quoted(scratch / "two.mka");
    ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT
    const auto channels = channels_of_file(scratch / "two.mka");
    ASSERT_TRUE(channels.ok());
    const PartOfFile alone{"alone", {channels->channels[0]}};
    const PartOfFile mixed{"mixed", channels->channels};
    const auto refused =
        write_parts(scratch / "two.mka", {alone, mixed}, scratch / "parts", scratch / "work");
    ASSERT_FALSE(refused.ok());
    EXPECT_EQ(refused.error().kind, ErrorKind::BadInput);
    EXPECT_TRUE(std::filesystem::is_empty(scratch / "parts"));
}

// A field recorder's 64 channels come in as a recording, too; FFmpeg says that 7.1 has rears before sides.
TEST(ManyChannels, ComeInWithSidesBeforeRears) {
    const test::Scratch scratch;
    test::write_wav(scratch / "many.wav", Channels(64, test::noise(4800, 3)), 48000);
    const auto many = Source::bring_in(scratch / "many.wav", scratch / "work");
    ASSERT_TRUE(many.ok()) << many.error().message;
    EXPECT_EQ(many->channels(), 64);
    const std::string command =
        "ffmpeg -v error -f lavfi -i 'sine=frequency=200:duration=1:sample_rate=48000,"
        "pan=7.1|FL=c0|FR=0.9*c0|FC=0.8*c0|LFE=0.7*c0|BL=0.4*c0|BR=0.3*c0|SL=0.6*c0|SR=0.5*c0' -c:a flac "
        "-y " +
        quoted(scratch / "bed.flac");
    ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT
    const auto bed = Source::bring_in(scratch / "bed.flac", scratch / "work");
    ASSERT_TRUE(bed.ok());
    std::vector<float> before(24000), now(24000);
    bed->read(0, 12000, before);
    for (int c = 1; c < 8; ++c) {
        bed->read(c, 12000, now);
        EXPECT_LT(energy_of(now), energy_of(before)) << c;
        before = now;
    }
}

}  // namespace
}  // namespace rivlen
