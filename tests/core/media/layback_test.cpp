// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds back under pictures that are damaged, or that begin long before their sound.
#include "core/media/layback.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/media/sound_comparison.h"
#include "core/media/sound_under_picture.h"
#include "core/media/source.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

void ffmpeg(const std::string& arguments) {
    const std::string command = "ffmpeg -v error -y " + arguments;
    ASSERT_EQ(std::system(command.c_str()), 0) << command;  // NOLINT(concurrency-mt-unsafe)
}
using test::quoted;

class DamagedPictures : public testing::Test {
  protected:
    DamagedPictures() {
        test::write_wav(scratch_ / "sound.wav", {test::noise(48000 * 3, 1), test::noise(48000 * 3, 2)},
                        48000);
        ffmpeg("-f lavfi -i testsrc=size=64x64:rate=25:duration=3 -c:v mpeg4 " +
               quoted(scratch_ / "picture.mov"));
    }
    Result<LaybackReport> put(const fs::path& picture, const char* ending = ".mov") {
        LaybackPlan plan;
        plan.picture = picture;
        plan.sounds.push_back({scratch_ / "sound.wav"});
        plan.out = scratch_ / (std::string("out") + ending);
        plan.overwrite = true;
        return lay_back(plan);
    }
    test::Scratch scratch_;
};

TEST_F(DamagedPictures, APictureThatIsCutShortIsRefusedAndSaysWhere) {
    for (const char* ending : {".mov", ".mkv"}) {
        const auto whole = scratch_ / (std::string("whole") + ending);
        ffmpeg("-i " + quoted(scratch_ / "picture.mov") + " -c copy -movflags faststart " + quoted(whole));
        ASSERT_TRUE(put(whole, ending).ok());
        const std::string bytes = *read_text_file(whole);
        for (const int percent : {55, 80, 97}) {
            const auto cut = scratch_ / (std::string("cut") + ending);
            ASSERT_TRUE(
                write_text_file(cut, bytes.substr(0, bytes.size() * static_cast<std::size_t>(percent) / 100))
                    .ok());
            fs::remove(scratch_ / (std::string("out") + ending));
            const auto report = put(cut, ending);
            if (report.ok()) {  // Matroska says nowhere how many pictures there are: an end that was lost
                                // cannot be seen
                EXPECT_EQ(std::string(ending), ".mkv") << percent;
                continue;
            }
            EXPECT_EQ(report.error().kind, ErrorKind::BadInput);
            EXPECT_NE(report.error().message.find("damaged at 00:00:0"), std::string::npos)
                << report.error().message;
            EXPECT_FALSE(fs::exists(scratch_ / (std::string("out") + ending)));
        }
    }
    EXPECT_EQ(scratch_.leftovers(), 0);
}

TEST_F(DamagedPictures, SamplesThatAreNoNumbersAreSilentAndTold) {
    auto x = test::noise(48000, 1);
    for (const std::size_t at : {100U, 200U, 300U}) x[at] = std::numeric_limits<float>::quiet_NaN();
    x[400] = -std::numeric_limits<float>::infinity();
    test::write_wav(scratch_ / "sound.wav", {x}, 48000);
    const auto report = put(scratch_ / "picture.mov");
    ASSERT_TRUE(report.ok()) << report.error().message;
    ASSERT_EQ(report->warnings.size(), 1U);
    EXPECT_NE(report->warnings[0].find("4 samples"), std::string::npos);
    const auto back = read_audio(scratch_ / "out.mov");
    ASSERT_TRUE(back.ok());
    for (const std::size_t at : {100U, 200U, 300U, 400U}) EXPECT_EQ((*back)[0][at], 0.0F);
    EXPECT_NEAR((*back)[0][500], x[500], 1e-6);
}

// A sound that begins long after its picture, as broken containers say: written in blocks, and in sync.
TEST_F(DamagedPictures, ASoundThatBeginsLongAfterItsPictureStaysInSync) {
    ffmpeg("-i " + quoted(scratch_ / "picture.mov") + " -itsoffset 5000 -i " +
           quoted(scratch_ / "sound.wav") + " -map 0:v -map 1:a -c copy " + quoted(scratch_ / "late.mkv"));
    const auto source = Source::bring_in(scratch_ / "late.mkv", scratch_ / "work");
    ASSERT_TRUE(source.ok()) << source.error().message;
    EXPECT_EQ(source->frames(), 5003U * 48000);
    const auto given = read_audio(scratch_ / "sound.wav");
    std::vector<float> there(48000);
    source->read(0, std::int64_t{5000} * 48000, there);
    for (std::size_t i = 0; i < there.size(); ++i) ASSERT_EQ(there[i], (*given)[0][i]);
    // And by blocks of any size, without all of it in memory at once.
    auto under = SoundUnderPicture::open(scratch_ / "late.mkv");
    ASSERT_TRUE(under.ok());
    AudioBlock block;
    std::int64_t at = 0;
    std::int64_t first_sound = -1;
    for (std::int64_t size = 100'000;; size = size == 100'000 ? 77'777 : 100'000) {
        ASSERT_TRUE(under->next(size, block).ok());
        if (block.empty()) break;
        for (std::size_t i = 0; i < block[0].size() && first_sound < 0; ++i) {
            if (block[0][i] != 0.0F) first_sound = at + static_cast<std::int64_t>(i);
        }
        at += static_cast<std::int64_t>(block[0].size());
    }
    EXPECT_EQ(at, std::int64_t{5003} * 48000);
    EXPECT_NEAR(static_cast<double>(first_sound), 5000.0 * 48000, 2);
}

TEST_F(DamagedPictures, TheComparisonFindsShiftsAndDifferences) {
    const auto x = test::noise(48000 * 5, 3);
    const auto compared = [&](const std::vector<float>& given, const std::vector<float>& written) {
        test::write_wav(scratch_ / "a.wav", {given}, 48000);
        test::write_wav(scratch_ / "b.wav", {written}, 48000);
        auto a = SoundUnderPicture::open(scratch_ / "a.wav");
        auto b = SoundUnderPicture::open(scratch_ / "b.wav");
        auto found = compare([&](std::int64_t n, AudioBlock& out) { return a->next(n, out); },
                             [&](std::int64_t n, AudioBlock& out) { return b->next(n, out); });
        EXPECT_TRUE(found.ok());
        return *found;
    };
    EXPECT_EQ(compared(x, x).offset_samples, 0);
    EXPECT_EQ(compared(x, x).difference_db, -200);
    for (const std::ptrdiff_t shift : {1, 37, 1024, 4000}) {
        std::vector<float> late(static_cast<std::size_t>(shift), 0.0F);
        late.insert(late.end(), x.begin(), x.end());
        EXPECT_EQ(compared(x, late).offset_samples, shift);
        EXPECT_EQ(compared(late, x).offset_samples, -shift);
    }
    auto softer = x;
    for (float& v : softer) v *= 0.9F;
    EXPECT_NEAR(compared(x, softer).difference_db, -20, 0.01);
    EXPECT_EQ(compared(x, softer).offset_samples, 0);
}

// What FFmpeg shows of a picture: moment (ms) and content of every frame.
std::vector<std::string> shown(const fs::path& file) {
    std::istringstream text(
        test::output_of("ffmpeg -v error -i " + quoted(file) +
                        " -map 0:v:0 -enc_time_base 1:1000 -vsync passthrough -f framemd5 -"));
    std::vector<std::string> out;
    long first = -1;
    for (std::string line; std::getline(text, line);) {
        if (line.empty() || line[0] == '#') continue;
        std::vector<std::string> fields;
        std::istringstream parts(line);
        for (std::string field; std::getline(parts, field, ',');) fields.push_back(field);
        if (first < 0) first = std::stol(fields[2]);
        // A tick of rounding more or less.
        out.push_back(std::to_string((std::stol(fields[2]) - first + 5) / 10) + fields[5]);
    }
    return out;
}
nlohmann::json streams_of(const fs::path& file) {
    return nlohmann::json::parse(
        test::output_of("ffprobe -v error -of json -show_streams -show_chapters " + quoted(file)));
}

struct PictureKind {
    const char* name;
    const char* ending;
    const char* arguments;  // of FFmpeg, from a test picture of 3 s to the file
};
class Pictures : public DamagedPictures, public testing::WithParamInterface<PictureKind> {};

// B-frames, pictures that come when they like, rotation, edit lists: every frame is shown when it was.
TEST_P(Pictures, AreShownAsTheyWere) {
    const auto& kind = GetParam();
    const auto source = scratch_ / "source.mp4";
    ffmpeg(
        "-f lavfi -i testsrc2=size=96x64:rate=25:duration=3 -f lavfi -i sine=duration=3 -c:v libx264 -g 10 "
        "-bf 2 "
        "-preset ultrafast -x264-params b-adapt=0:bframes=2 -pix_fmt yuv420p " +
        quoted(source));
    const auto picture = scratch_ / (std::string("kind") + kind.ending);
    ffmpeg(fmt::format(fmt::runtime(kind.arguments), quoted(source)) + " " + quoted(picture));
    const auto report = put(picture, kind.ending);
    ASSERT_TRUE(report.ok()) << report.error().message;
    EXPECT_TRUE(report->picture_identical);
    const auto out = scratch_ / (std::string("out") + kind.ending);
    const auto before = shown(picture);
    EXPECT_GT(before.size(), 20U);
    EXPECT_EQ(before, shown(out));
    const auto rotation = [](const fs::path& file) {
        return streams_of(file)["streams"][0].value("side_data_list", nlohmann::json::array()).dump();
    };
    EXPECT_EQ(rotation(picture), rotation(out));
    if (std::string(kind.name) == "Rotated") {
        EXPECT_NE(rotation(out).find("rotation\":90"), std::string::npos);
    }
}
INSTANTIATE_TEST_SUITE_P(
    Kinds, Pictures,
    testing::Values(
        PictureKind{"BetweenFrames", ".mp4", "-i {} -c copy"},
        PictureKind{"BetweenFramesMov", ".mov", "-i {} -c copy"},
        PictureKind{"BetweenFramesMkv", ".mkv", "-i {} -c copy"},
        PictureKind{
            "Variable", ".mp4",
            "-i {} -vf \"select='not(mod(n,3))+lt(n,20)'\" -vsync vfr -c:v libx264 -preset ultrafast"},
        PictureKind{
            "VariableMkv", ".mkv",
            "-i {} -vf \"select='not(mod(n,3))+lt(n,20)'\" -vsync vfr -c:v libx264 -preset ultrafast"},
        PictureKind{"Rotated", ".mov", "-i {} -c copy -metadata:s:v rotate=90"},
        PictureKind{"EditList", ".mov", "-ss 0.5 -i {} -c copy"},
        PictureKind{"EditListMp4", ".mp4", "-ss 0.77 -i {} -c copy"}),
    [](const auto& info) { return std::string(info.param.name); });

// Subtitles, chapters, attachments, further sounds with their tags: all of it is there behind the new sounds.
TEST_F(DamagedPictures, AllElseOfTheFileStays) {
    ASSERT_TRUE(
        write_text_file(scratch_ / "words.srt",
                        "1\n00:00:00,500 --> 00:00:01,500\nBell\n\n2\n00:00:02,000 --> 00:00:02,500\nSea\n")
            .ok());
    ASSERT_TRUE(write_text_file(
                    scratch_ / "marks.txt",
                    ";FFMETADATA1\ntitle=Ferry\n[CHAPTER]\nTIMEBASE=1/1000\nSTART=0\nEND=1000\ntitle=Quay\n"
                    "[CHAPTER]\nTIMEBASE=1/1000\nSTART=1000\nEND=3000\ntitle=Sea\n")
                    .ok());
    for (const bool matroska : {true, false}) {
        const char* ending = matroska ? ".mkv" : ".mp4";
        const auto picture = scratch_ / (std::string("full") + ending);
        ffmpeg("-i " + quoted(scratch_ / "picture.mov") +
               " -f lavfi -i sine=400:duration=3 -f lavfi -i "
               "sine=900:duration=3 -i " +
               quoted(scratch_ / "words.srt") + " -i " + quoted(scratch_ / "marks.txt") +
               " -map 0:v -map 1:a -map 2:a -map 3 -map_metadata 4 -map_chapters 4 -c:v copy -c:a aac -c:s " +
               (matroska
                    ? "srt -attach " + quoted(scratch_ / "marks.txt") + " -metadata:s:t mimetype=text/plain"
                    : std::string("mov_text")) +
               " -metadata:s:a:0 language=eng -metadata:s:a:1 language=fra -metadata:s:a:1 title=Commentary "
               "-metadata:s:s:0 language=deu -disposition:a:0 default " +
               quoted(picture));
        for (const bool keep : {false, true}) {
            LaybackPlan plan;
            plan.picture = picture;
            plan.sounds.push_back({scratch_ / "sound.wav", "New", "eng"});
            plan.sounds.push_back({scratch_ / "sound.wav", "Also new", "nld"});
            plan.out = scratch_ / (std::string("out") + ending);
            plan.keep_original_sound = keep;
            plan.overwrite = true;
            const auto report = lay_back(plan);
            ASSERT_TRUE(report.ok()) << report.error().message;
            EXPECT_TRUE(report->warnings.empty()) << report->warnings.front();
            const auto found = streams_of(plan.out);
            std::vector<std::string> languages;
            std::map<std::string, int> kinds;
            int defaults = 0;
            for (const auto& stream : found["streams"]) {
                ++kinds[stream["codec_type"]];
                if (stream["codec_type"] != "audio") continue;
                languages.push_back(stream["tags"]["language"]);
                defaults += stream["disposition"]["default"].get<int>();
            }
            EXPECT_EQ(languages, keep ? (std::vector<std::string>{"eng", "nld", "fra", "eng"})
                                      : (std::vector<std::string>{"eng", "nld", "fra"}));
            EXPECT_EQ(defaults, 1);
            EXPECT_EQ(kinds["subtitle"], 1);
            EXPECT_EQ(kinds["attachment"], matroska ? 1 : 0);
            ASSERT_EQ(found["chapters"].size(), 2U);
            EXPECT_EQ(found["chapters"][1]["tags"]["title"], "Sea");
            EXPECT_NEAR(std::stod(found["chapters"][1]["start_time"].get<std::string>()), 1, 0.002);
            if (matroska) {  // FFmpeg writes no track names into MP4
                EXPECT_NE(test::output_of("mediainfo " + quoted(plan.out)).find("Commentary"),
                          std::string::npos);
            }
            // Where the second subtitle stands behind the first picture, whatever the container's clock.
            const auto second_word = [](const fs::path& file) {
                const auto first_of = [&](const char* stream, std::size_t number) {
                    const auto found = nlohmann::json::parse(test::output_of(
                        "ffprobe -v error -of json -show_entries packet=pts_time -select_streams " +
                        std::string(stream) + " " + quoted(file)));
                    return std::stod(found["packets"][number]["pts_time"].get<std::string>());
                };
                std::size_t word = 1;
                while (first_of("s", word) - first_of("v", 0) < 1.9) ++word;  // MP4 has empty ones in between
                return first_of("s", word) - first_of("v", 0);
            };
            EXPECT_NEAR(second_word(plan.out), second_word(picture), 0.0011);
            EXPECT_NEAR(second_word(plan.out), 2, 0.0011);
            // The commentary's packets are those that were there.
            const auto packets = [](const fs::path& file, int sound) {
                return test::output_of("ffmpeg -v error -i " + quoted(file) +
                                       fmt::format(" -map 0:a:{} -c copy -f md5 -", sound));
            };
            EXPECT_EQ(packets(plan.out, 2), packets(picture, 1));
        }
    }
    // What a container cannot hold is told, not lost in silence.
    LaybackPlan plan;
    plan.picture = scratch_ / "full.mkv";
    plan.sounds.push_back({scratch_ / "sound.wav"});
    plan.out = scratch_ / "other.mp4";
    const auto report = lay_back(plan);
    ASSERT_TRUE(report.ok()) << report.error().message;
    ASSERT_EQ(report->warnings.size(), 2U);
    EXPECT_NE(report->warnings[0].find("subtitle of track 4 (subrip)"), std::string::npos)
        << report->warnings[0];
    EXPECT_NE(report->warnings[1].find("attachment of track 5"), std::string::npos) << report->warnings[1];
}

}  // namespace
}  // namespace rivlen
