// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/space.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include "core/base/output_file.h"
#include "core/base/safetensors.h"
#include "core/media/source.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

TEST(Space, GathersWhatIsKeptOfEachRecordingAndRemovesIt) {
    const test::Scratch scratch;
    test::write_wav(scratch / "long.wav", {test::noise(480000, 1)}, 48000);
    test::write_wav(scratch / "short.wav", {test::noise(4800, 2)}, 48000);
    const auto work = scratch / "work";
    const auto large = Source::bring_in(scratch / "long.wav", work);
    const auto small = Source::bring_in(scratch / "short.wav", work);
    ASSERT_TRUE(large.ok() && small.ok());
    const auto converted = Source::at_rate(*large, 44100, work);
    ASSERT_TRUE(converted.ok());
    fs::create_directories(work / "takes");
    test::write_wav(work / "takes/take 1.wav", {test::noise(480, 3)}, 48000);
    ASSERT_TRUE(write_text_file(work / "odd.sound", "not one of ours").ok());
    fs::remove(scratch / "short.wav");

    auto kept = kept_in(work);
    ASSERT_EQ(kept.size(), 2U);
    EXPECT_EQ(kept[0].original, scratch / "long.wav");
    EXPECT_EQ(kept[0].files.size(), 2U);
    EXPECT_TRUE(kept[0].original_there);
    EXPECT_FALSE(kept[1].original_there);
    EXPECT_GT(kept[0].bytes, kept[1].bytes);
    EXPECT_GE(kept[0].bytes, fs::file_size(large->sound_file()) + fs::file_size(converted->sound_file()));
    EXPECT_EQ(kept[0].unused.count(), 0);

    const auto some = remove_kept(kept[0], {large->sound_file()});
    ASSERT_TRUE(some.ok());
    EXPECT_TRUE(fs::exists(large->sound_file()));
    EXPECT_FALSE(fs::exists(converted->sound_file()));
    ASSERT_TRUE(remove_kept(kept[1], {}).ok());
    kept = kept_in(work);
    ASSERT_EQ(kept.size(), 1U);
    EXPECT_TRUE(fs::exists(work / "takes/take 1.wav"));
    EXPECT_TRUE(fs::exists(scratch / "long.wav"));
    EXPECT_TRUE(kept_in(scratch / "nowhere").empty());
}

// Thirteen hours at 48 kHz: frames no longer fit into 31 bits. The file has a hole where its sound would be.
TEST(LongRecordings, PositionsBeyondTwoToThe31Hold) {
    const test::Scratch scratch;
    constexpr std::int64_t kFrames = (std::int64_t{1} << 31) + 480'000;
    constexpr std::size_t kHead = 4096;
    const std::array<std::int64_t, 2> shape = {kFrames, 1};
    const safetensors::Metadata metadata = {{"format", "rivlen-sound-1"},
                                            {"original", "/a/long.wav"},
                                            {"sample_rate", "48000"},
                                            {"hash", std::string(32, 'a')}};
    const auto head = safetensors::single_tensor_head(metadata, "sound", "F32", shape, sizeof(float), kHead);
    ASSERT_TRUE(head.ok());
    const auto path = scratch / "long.sound";
    ASSERT_TRUE(write_text_file(path, *head).ok());
    const auto at = static_cast<std::int64_t>(head->size()) + ((std::int64_t{1} << 31) + 100) * 4;
    ASSERT_EQ(::truncate(path.c_str(), static_cast<std::int64_t>(head->size()) + kFrames * 4), 0);
    std::FILE* file = std::fopen(path.c_str(), "r+b");
    ASSERT_NE(file, nullptr);
    const std::array<float, 3> mark = {0.25F, -0.5F, 0.75F};
    ASSERT_EQ(::fseeko(file, at, SEEK_SET), 0);
    ASSERT_EQ(std::fwrite(mark.data(), sizeof(float), mark.size(), file), mark.size());
    std::fclose(file);

    const auto source = Source::open(path);
    ASSERT_TRUE(source.ok()) << source.error().message;
    EXPECT_EQ(source->frames(), static_cast<std::uint64_t>(kFrames));
    std::vector<float> read(300);
    source->read(0, std::int64_t{1} << 31, read);
    for (std::size_t i = 0; i < read.size(); ++i) {
        const float wanted = i >= 100 && i < 103 ? mark[i - 100] : 0.0F;
        ASSERT_EQ(read[i], wanted) << i;
    }
    source->read(0, kFrames - 100, read);  // silence behind the end
    EXPECT_EQ(read[299], 0.0F);
}

}  // namespace
}  // namespace rivlen
