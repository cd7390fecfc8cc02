// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds back under pictures that are damaged, or that begin long before their sound.
#include "core/media/layback.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <limits>

#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/media/sound_comparison.h"
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
        auto found = compare(*a, *b);
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

}  // namespace
}  // namespace rivlen
