// SPDX-License-Identifier: GPL-3.0-or-later
// A file system of one megabyte, filled up: what a full disk does to every writer.
#include <gtest/gtest.h>
#include <sys/mount.h>

#include "core/delivery/deliver.h"
#include "core/delivery/export.h"
#include "core/media/layback.h"
#include "core/project/editing.h"
#include "core/separation/split.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;
namespace fs = std::filesystem;

class FullDisk : public testing::Test {
  protected:
    void SetUp() override {
        small_ = scratch_ / "small";
        fs::create_directories(small_);
        mounted_ = ::mount("tmpfs", small_.c_str(), "tmpfs", 0, "size=1m") == 0;
        if (!mounted_) GTEST_SKIP() << "a small file system can only be mounted by root";
    }
    void TearDown() override {
        if (mounted_) ::umount(small_.c_str());
    }
    void expect_full(const Error& error) const {
        EXPECT_EQ(error.kind, ErrorKind::DiskFull) << error.message;
        EXPECT_NE(error.message.find("full"), std::string::npos);
        EXPECT_TRUE(fs::is_empty(small_)) << "something was left behind";
    }
    Scratch scratch_;
    fs::path small_;
    bool mounted_ = false;
};

class FlatSeparator : public Separator {
  public:
    class Worker : public MaskWorker {
      public:
        void begin(bool) override {}
        Status push(std::span<const float> features, bool, const Take& take) override {
            return take(std::vector<float>(features.size() / kFeatures * kMaskRow, 0.25F));
        }
    };
    [[nodiscard]] const ModelFacts& model() const override { return facts_; }
    [[nodiscard]] std::unique_ptr<MaskWorker> make_worker() const override {
        return std::make_unique<Worker>();
    }

  private:
    ModelFacts facts_{"flat", "0", 4, 0, {}};
};

TEST_F(FullDisk, BringingIn) {
    test::write_wav(scratch_ / "long.wav", {test::noise(48000 * 10, 1)}, 48000);
    auto source = Source::bring_in(scratch_ / "long.wav", small_);
    ASSERT_FALSE(source.ok());
    expect_full(source.error());
}

TEST_F(FullDisk, Splitting) {
    const auto source = test::noise_source(scratch_, 8000, 1, 60.0);
    auto report = split(source, FlatSeparator(), small_ / "x.map", {}, {});
    ASSERT_FALSE(report.ok());
    expect_full(report.error());
}

TEST_F(FullDisk, Exporting) {
    const auto source = test::noise_source(scratch_, 48000, 2, 5.0);
    const auto map = test::random_map(scratch_, source);
    for (const auto format : {SoundFormat::WavFloat, SoundFormat::Flac24}) {
        ExportPlan plan;
        plan.folder = small_;
        plan.base_name = "x";
        plan.format = format;
        auto report = export_stems(source, map, {}, plan);
        ASSERT_FALSE(report.ok());
        expect_full(report.error());
    }
}

TEST_F(FullDisk, PuttingBack) {
    test::write_wav(scratch_ / "a.wav", {test::noise(48000 * 44, 1)}, 48000);
    LaybackPlan plan;
    plan.picture = fs::path(RIVLEN_ROOT) / "demo/tide-mill.mov";
    plan.sounds.push_back({scratch_ / "a.wav"});
    plan.out = small_ / "x.mov";
    auto report = lay_back(plan);
    ASSERT_FALSE(report.ok());
    expect_full(report.error());
}

// The work folder is full while a row is rendered; and a check that says so before, where the files are to
// go.
TEST_F(FullDisk, Delivering) {
    test::write_wav(scratch_ / "long.wav", {test::noise(48000 * 10, 1)}, 48000);
    auto source = Source::bring_in(scratch_ / "long.wav", scratch_ / "work");
    ASSERT_TRUE(source.ok());
    DeliveryPlan plan;
    plan.session.timeline.sample_rate = 48000;
    Placement placement;
    placement.path = scratch_ / "long.wav";
    placement.length = static_cast<std::int64_t>(source->frames());
    place_clip(plan.session.timeline, placement, ClipSource::Whole, 0);
    plan.media[placement.path] = {std::make_shared<const Source>(std::move(*source)), nullptr, 48000};
    plan.table.rows.resize(1);
    plan.name = "long";
    plan.folder = scratch_ / "out";
    plan.work = small_;
    const auto report = deliver(plan);
    ASSERT_TRUE(report.ok());
    EXPECT_EQ(report->rows[0].state, RowState::Failed);
    EXPECT_NE(report->rows[0].sentence.find("full"), std::string::npos) << report->rows[0].sentence;
    EXPECT_NE(report->rows[0].sentence.find(small_.string()), std::string::npos) << report->rows[0].sentence;
    EXPECT_FALSE(fs::exists(scratch_ / "out/long mix.wav"));
    EXPECT_TRUE(fs::is_empty(small_)) << "something was left behind";
    plan.work = scratch_ / "work";
    plan.folder = small_ / "out";
    const auto refused = deliver(plan);
    ASSERT_FALSE(refused.ok());
    EXPECT_NE(refused.error().message.find("disk"), std::string::npos) << refused.error().message;
}

}  // namespace
}  // namespace rivlen
