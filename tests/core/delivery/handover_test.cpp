// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/output_file.h"
#include "core/delivery/export.h"
#include "core/media/layback.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;
namespace fs = std::filesystem;

ExportPlan plan_into(const fs::path& folder, const std::string& name = "noise") {
    ExportPlan plan;
    plan.folder = folder;
    plan.base_name = name;
    return plan;
}

TEST(Export, FilesAddUpToTheSource) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 44100, 2, 1.5);
    const auto map = test::random_map(scratch, source);
    auto plan = plan_into(scratch / "out");
    plan.kept_mix = true;
    auto report = export_stems(source, map, {}, plan);
    ASSERT_TRUE(report.ok()) << report.error().message;
    ASSERT_EQ(report->files.size(), 5U);
    EXPECT_LT(report->sum_dbfs, -110.0);
    test::Channels sum(2, std::vector<float>(source.frames(), 0.0F));
    for (std::size_t f = 0; f < 4; ++f) {
        const auto stem = test::read_wav(report->files[f].path);
        for (std::size_t c = 0; c < 2; ++c) {
            ASSERT_EQ(stem[c].size(), source.frames());
            for (std::size_t i = 0; i < stem[c].size(); ++i) sum[c][i] += stem[c][i];
        }
    }
    std::vector<float> original(source.frames());
    for (int c = 0; c < 2; ++c) {
        source.read(c, 0, original);
        for (std::size_t i = 0; i < original.size(); ++i)
            ASSERT_NEAR(sum[static_cast<std::size_t>(c)][i], original[i], 3.1e-6F);
    }
    // Neutral settings keep everything: the mix is the source itself.
    EXPECT_EQ(test::read_wav(report->files[4].path)[1], original);
    // What is there is not replaced without being asked to.
    auto again = export_stems(source, map, {}, plan);
    ASSERT_FALSE(again.ok());
    EXPECT_NE(again.error().message.find("there already"), std::string::npos);
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(Export, NeverOverTheRecordingItself) {
    const Scratch scratch;
    test::write_wav(scratch / "take dialogue.wav", {test::noise(4800, 1)}, 48000);
    auto source = Source::bring_in(scratch / "take dialogue.wav", scratch.folder());
    ASSERT_TRUE(source.ok());
    const auto map = test::random_map(scratch, *source);
    auto plan = plan_into(scratch.folder(), "take");
    plan.overwrite = true;
    auto report = export_stems(*source, map, {}, plan);
    ASSERT_FALSE(report.ok());
    EXPECT_NE(report.error().message.find("never written to"), std::string::npos);
    EXPECT_EQ(test::read_wav(scratch / "take dialogue.wav")[0], test::noise(4800, 1));
}

// The second of the files cannot be moved into place, as a folder has its name: the first, which was replaced
// already, is again what it was.
TEST(Export, WhenOneFileCannotBeReplacedAllStayAsTheyWere) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 44100, 1, 0.5);
    const auto map = test::random_map(scratch, source);
    auto plan = plan_into(scratch / "out");
    plan.overwrite = true;
    const auto planned = planned_files(plan);
    ASSERT_EQ(planned.size(), 4U);
    fs::create_directories(planned[1].second / "something in it");
    ASSERT_TRUE(write_text_file(planned[0].second, "an earlier export").ok());
    ASSERT_FALSE(export_stems(source, map, {}, plan).ok());
    EXPECT_EQ(*read_text_file(planned[0].second), "an earlier export");
    EXPECT_TRUE(fs::is_directory(planned[1].second / "something in it"));
    EXPECT_FALSE(fs::exists(planned[2].second));
    EXPECT_FALSE(fs::exists(planned[3].second));
    EXPECT_EQ(std::distance(fs::directory_iterator(plan.folder), fs::directory_iterator()), 2);
}

TEST(Export, CancelLeavesNoFile) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 2.0);
    const auto map = test::random_map(scratch, source);
    ExportPlan plan;
    plan.folder = scratch / "out";
    plan.base_name = "x";
    const std::atomic<bool> cancel{true};
    auto report = export_stems(source, map, {}, plan, {{}, &cancel});
    ASSERT_FALSE(report.ok());
    EXPECT_TRUE(fs::is_empty(scratch / "out"));
}

class Layback : public testing::TestWithParam<const char*> {};

// Picture packets identical, sound in place to the sample, timecode kept: checked by put_back itself and,
// from outside, by ffprobe and ffmpeg.
TEST_P(Layback, PictureUntouchedAndSoundInPlace) {
    const Scratch scratch;
    test::Channels sound = {test::noise(44 * 48000, 11), test::noise(44 * 48000, 12)};
    test::write_wav(scratch / "new.wav", sound, 48000);
    LaybackPlan plan;
    plan.picture = test::demo_picture();
    plan.sounds.push_back({scratch / "new.wav"});
    plan.out = scratch / (std::string("out.") + GetParam());
    auto report = lay_back(plan);
    ASSERT_TRUE(report.ok()) << report.error().message;
    EXPECT_TRUE(report->picture_identical);
    EXPECT_EQ(report->picture_packets, 1100U);
    EXPECT_EQ(report->offset_samples, 0);
    auto info = probe(plan.out);
    ASSERT_TRUE(info.ok());
    EXPECT_EQ(info->picture->timecode, "01:00:00:00");
    // FFmpeg's own decode of the picture is the same from both files.
    const auto md5 = [](const fs::path& file) {
        return test::output_of("ffmpeg -v error -i " + test::quoted(file) + " -map 0:v -t 2 -f md5 -");
    };
    EXPECT_EQ(md5(plan.out), md5(test::demo_picture()));
    EXPECT_FALSE(md5(test::demo_picture()).empty());
    EXPECT_EQ(scratch.leftovers(), 0);
    auto again = lay_back(plan);
    EXPECT_FALSE(again.ok());  // it is there already
}
INSTANTIATE_TEST_SUITE_P(Containers, Layback, testing::Values("mov", "mp4", "mkv"));

TEST(Layback, WrongRequestsAreSentences) {
    const Scratch scratch;
    test::write_wav(scratch / "a.wav", {test::noise(4800, 1)}, 48000);
    LaybackPlan plan;
    plan.picture = test::demo_picture();
    plan.sounds.push_back({scratch / "a.wav"});
    plan.out = test::demo_picture();
    plan.overwrite = true;
    EXPECT_EQ(lay_back(plan).error().kind, ErrorKind::BadInput);  // output equals input
    plan.out = scratch / "a.avi2";
    EXPECT_EQ(lay_back(plan).error().kind, ErrorKind::BadInput);
    plan.out = scratch / "b.mov";
    plan.picture = scratch / "a.wav";
    EXPECT_EQ(lay_back(plan).error().kind, ErrorKind::BadInput);  // no picture
    EXPECT_FALSE(fs::exists(scratch / "b.mov"));
}

}  // namespace
}  // namespace rivlen
