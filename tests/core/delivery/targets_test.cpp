// SPDX-License-Identifier: GPL-3.0-or-later
// Gains, limiters and targets: one gain a version, whatever limits; every row against its target; levels as
// FFmpeg's ebur128 measures them.
#include <gtest/gtest.h>

#include <numeric>

#include "core/base/output_file.h"
#include "core/delivery/delivery_proof.h"
#include "core/delivery/report.h"
#include "core/delivery/spoken_parts.h"
#include "core/dsp/activity.h"
#include "core/effects/inserts.h"
#include "tests/core/delivery/deliveries.h"

namespace rivlen {
namespace {

using test::Channels;
using test::Deliveries;
using test::kRate;
using test::ran;

constexpr std::array kFourStems = {Content::Dialogue, Content::Reverb, Content::Music, Content::Ambience};

// Integrated loudness of a file by FFmpeg's ebur128; filters go before it.
double ffmpeg_lufs(const std::filesystem::path& file, const std::string& filters = {},
                   const std::string& options = {}) {
    const auto said = ran("ffmpeg -hide_banner -nostats -i " + test::quoted(file) + " -af '" + filters +
                          "ebur128" + options + "' -f null -");
    const auto at = said.rfind("I:");
    return at == std::string::npos ? 0 : std::stod(said.substr(at + 2));
}

// Largest difference between the first file and the sum of the others, as the test reads them.
double off_by(const std::filesystem::path& whole, const std::vector<std::filesystem::path>& parts) {
    Channels sum = test::read_wav(whole);
    for (const auto& file : parts) {
        const Channels part = test::read_wav(file);
        for (std::size_t c = 0; c < sum.size(); ++c) {
            for (std::size_t i = 0; i < sum[c].size(); ++i) sum[c][i] -= part[c][i];
        }
    }
    double most = 0;
    for (const auto& channel : sum) {
        for (const float x : channel) most = std::max(most, std::abs(static_cast<double>(x)));
    }
    return most;
}

class Versions : public Deliveries {
  protected:
    // Mix, stems, and on wish what limiter and buses did.
    void add_all(const std::string& target, bool with_limiter_file, bool mono = false) {
        add(Content::Mix, Container::Wav, target).layout = mono ? Layout::Mono : Layout::Stereo;
        for (const Content stem : kFourStems)
            add(stem, Container::Wav, target).layout = mono ? Layout::Mono : Layout::Stereo;
        if (with_limiter_file)
            add(Content::Limiter, Container::Wav, target).layout = mono ? Layout::Mono : Layout::Stereo;
        // Stems of a mix that is limited may go over full scale.
        for (auto& row : plan_.table.rows) row.depth = Depth::Float32;
    }
    static std::vector<std::filesystem::path> parts_of(const DeliveryReport& report) {
        std::vector<std::filesystem::path> out;
        for (const auto& row : std::span(report.rows).subspan(1)) out.push_back(row.path);
        return out;
    }
};

TEST_F(Versions, StemsHaveTheGainOfAMixThatIsLimited) {
    add_all("music", false);
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    const auto& mix = report->rows[0];
    EXPECT_LT(mix.limited_db, -1);
    EXPECT_NEAR(ffmpeg_lufs(mix.path), -14, 0.11);
    for (const auto& row : report->rows) EXPECT_EQ(row.gain_db, mix.gain_db) << row.path;
    // They are the mix before its limiter, and the report says so.
    ASSERT_EQ(report->sums.size(), 1U);
    EXPECT_EQ(report->sums[0].against, SumAgainst::BeforeLimiter);
    EXPECT_LT(report->sums[0].peak_dbfs.value_or(-200), -130);
    EXPECT_GT(off_by(mix.path, parts_of(*report)), 0.05);
    // The curve holds what the figure says, and reaches the page.
    ASSERT_GE(mix.reduction_by_second.size(), 12U);
    EXPECT_NEAR(std::ranges::min(mix.reduction_by_second), mix.limited_db, 1e-4);
    const auto page = report_to_html(*report, plan_.table);
    EXPECT_NE(page.find("mix before its limiter"), std::string::npos);
    EXPECT_NE(page.find("<path fill=\"#9a3b10\""), std::string::npos);
    // A restart knows all of it, although no file tells.
    const auto again = deliver(plan_);
    ASSERT_TRUE(again.ok());
    EXPECT_EQ(again->rows[0].state, RowState::Skipped);
    EXPECT_EQ(again->rows[0].gain_db, mix.gain_db);
    EXPECT_EQ(again->rows[0].reduction_by_second, mix.reduction_by_second);
    ASSERT_EQ(again->sums.size(), 1U);
    EXPECT_LT(again->sums[0].peak_dbfs.value_or(-200), -130);
}

TEST_F(Versions, TheLimiterFileMakesEverythingAddUp) {
    // A bus that presses the mix together, besides the limiter.
    auto& bus = plan_.session.timeline.buses.front();
    bus.strip.chain.push_back(make_part(EffectType::Compressor, 900));
    bus.strip.chain.back()[parameter::kThresholdDb] = -40;
    for (const bool mono : {false, true}) {
        plan_.table.rows.clear();
        plan_.folder = scratch_ / (mono ? "mono" : "stereo");
        add_all("music", true, mono);
        const auto report = deliver(plan_);
        ASSERT_TRUE(report.ok() && report->all_done()) << report->rows[0].sentence;
        EXPECT_LT(report->rows[0].limited_db, 0);
        ASSERT_EQ(report->sums.size(), 1U);
        EXPECT_EQ(report->sums[0].against, SumAgainst::MixWithLimiterFile);
        EXPECT_EQ(report->sums[0].channels, mono ? "mono" : "");
        // Sums of floats, in two orders.
        EXPECT_LE(off_by(report->rows[0].path, parts_of(*report)), 1e-6);
        auto without = parts_of(*report);
        without.pop_back();
        EXPECT_GT(off_by(report->rows[0].path, without), 0.01);
    }
}

TEST_F(Versions, AFoldToMonoHasAGainOfItsOwn) {
    // Sides that share nothing lose 3 dB in a fold.
    for (auto& track : plan_.session.timeline.tracks)
        track.strip.pan_percent = track.name == "Voice" ? -100 : 100;
    add_all("r128", false);
    add_all("r128", false, true);
    for (auto& row : plan_.table.rows)
        row.name = "{name} {content} " + std::string(row.mono() ? "mono" : "stereo");
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    const auto& stereo = report->rows[0];
    const auto& mono = report->rows[5];
    EXPECT_TRUE(mono.on_target) << mono.sentence;
    EXPECT_GT(std::abs(mono.gain_db - stereo.gain_db), 0.5);
    EXPECT_NEAR(ffmpeg_lufs(stereo.path), -23, 0.11);
    EXPECT_NEAR(ffmpeg_lufs(mono.path, {}, "=dualmono=true"), -23, 0.11);
    ASSERT_EQ(report->sums.size(), 2U);
    for (const auto& sum : report->sums) EXPECT_LT(sum.peak_dbfs.value_or(-200), -130);
}

TEST_F(Versions, WhatGoesOverFullScaleIsNotClippedInSilence) {
    add(Content::Mix, Container::Wav, "music");
    add(Content::Dialogue, Container::Wav, "music");
    add(Content::Dialogue, Container::Flac, "music");
    auto& held = add(Content::Dialogue, Container::Wav, "music");
    held.name = "float";
    held.depth = Depth::Float32;
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    for (const std::size_t i : {1U, 2U}) {
        EXPECT_EQ(report->rows[i].state, RowState::Failed);
        EXPECT_NE(report->rows[i].sentence.find("over full scale"), std::string::npos)
            << report->rows[i].sentence;
        EXPECT_FALSE(std::filesystem::exists(report->rows[i].path));
    }
    EXPECT_EQ(report->rows[0].state, RowState::Done) << report->rows[0].sentence;
    ASSERT_EQ(report->rows[3].state, RowState::Done) << report->rows[3].sentence;
    EXPECT_GT(report->rows[3].course.loudness.sample_peak_dbfs.value(), 1);
}

TEST_F(Versions, EveryRowIsCheckedAgainstTheCeiling) {
    plan_.table.targets.push_back(
        {.key = "low", .name = "Low", .integrated_lufs = -30, .true_peak_dbtp = -20});
    add(Content::Mix, Container::Wav, "low");
    add(Content::Dialogue, Container::Wav, "low");
    add(Content::MusicAndEffects, Container::Wav, "low");
    add(Content::Stems, Container::Wav, "low");
    add(Content::Reverb, Container::Wav, "low");
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    EXPECT_LE(report->rows[0].course.loudness.true_peak_dbtp.value(), -20);
    for (const std::size_t over : {1U, 3U}) {
        EXPECT_FALSE(report->rows[over].on_target);
        EXPECT_NE(report->rows[over].sentence.find("where -20.0 are allowed"), std::string::npos);
    }
    EXPECT_TRUE(report->rows[4].on_target) << "silence is under every ceiling";
}

TEST_F(Versions, SpeechIsMeasuredInTheFileWhereItIs) {
    add(Content::Mix, Container::Wav, "dialogue-27");
    add(Content::Mix, Container::Mp3, "dialogue-27").name = "coded";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    for (const auto& row : report->rows) {
        ASSERT_NE(row.spoken, nullptr);
        // 1.7 s in every 3 are voice.
        EXPECT_NEAR(row.spoken->share, 1.7 / 3, 0.06);
        EXPECT_EQ(row.spoken->ranges.size(), 4U);
        std::string spoken;
        for (const auto& range : row.spoken->ranges)
            spoken += fmt::format("{}between(t\\,{:.4f}\\,{:.4f})", spoken.empty() ? "" : "+",
                                  static_cast<double>(range.first) / kRate,
                                  static_cast<double>(range.last) / kRate);
        // FFmpeg picks frames of its own length, hence the tenths.
        const std::string picked = "asetnsamples=480,aselect=" + spoken + ",asetpts=N/SR/TB,";
        EXPECT_NEAR(row.gated_lufs.value(), ffmpeg_lufs(row.path, picked), 0.2) << row.path;
        EXPECT_NEAR(row.gated_lufs.value(), -27, row.asked.container == Container::Wav ? 0.1 : 0.7);
        EXPECT_TRUE(row.on_target) << row.sentence;
        EXPECT_GT(row.gated_lufs.value(), row.course.loudness.integrated_lufs.value());
    }
    EXPECT_NE(report_to_html(*report, plan_.table).find("of its speech (5"), std::string::npos);
}

TEST_F(Versions, WhereLittleIsSpokenAllOfItIsMeasured) {
    // One sentence of 1.7 s in 12: less than the 15 % from which speech is an anchor.
    auto& voice = plan_.session.timeline.tracks.front();
    ASSERT_EQ(voice.name, "Voice");
    voice.clips.front().length = 17 * kRate / 10;
    add(Content::Mix, Container::Wav, "a85");
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    const auto& row = report->rows[0];
    EXPECT_LT(row.spoken->share, kLeastSpeechShare);
    EXPECT_NEAR(ffmpeg_lufs(row.path), -24, 0.11);
    EXPECT_NE(row.sentence.find("all of it was measured"), std::string::npos) << row.sentence;
    EXPECT_TRUE(row.on_target);
}

// EBU R 128 s1: the highest short-term loudness binds where a piece has one loud place.
TEST_F(Versions, ShortFormIsHeldByItsLoudestThreeSeconds) {
    auto x = test::noise(12 * kRate, 5);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const bool loud = i > 4U * kRate && i < 8U * kRate;
        x[i] *= loud ? 0.3F : 0.02F;
    }
    const auto file = scratch_ / "burst.wav";
    test::write_wav(file, {x, x}, kRate);
    auto source = Source::bring_in(file, scratch_ / "work");
    ASSERT_TRUE(source.ok());
    Timeline& r = plan_.session.timeline;
    for (auto& track : r.tracks) track.strip.mute = true;
    Placement placement;
    placement.path = file;
    placement.length = 12 * kRate;
    place_clip(r, placement, ClipSource::Whole, add_track(r, "Music"));
    plan_.media[file] = {std::make_shared<const Source>(std::move(*source)), nullptr, kRate};
    plan_.table.targets.push_back({.key = "short",
                                   .name = "Short",
                                   .integrated_lufs = -16,
                                   .true_peak_dbtp = -1,
                                   .short_term_lufs = -18});
    add(Content::Mix, Container::Wav, "short");
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    const auto& row = report->rows[0];
    EXPECT_NEAR(row.course.highest_short_term_lufs.value(), -18, 0.1);
    EXPECT_TRUE(row.on_target) << row.sentence;
    EXPECT_NE(row.sentence.find("no 3 s are louder"), std::string::npos) << row.sentence;
    // By another meter: a delivery that is too loud over 3 s fails, however it came about.
    const auto said =
        ran("ffmpeg -hide_banner -nostats -i " + test::quoted(row.path) +
            " -af ebur128=metadata=1,ametadata=print:key=lavfi.r128.S:file=- -f null - 2>/dev/null");
    double highest = -200;
    for (std::size_t at = 0; (at = said.find("r128.S=", at)) != std::string::npos; at += 7)
        highest = std::max(highest, std::stod(said.substr(at + 7)));
    EXPECT_NEAR(highest, -18, 0.11);
}

// Coders delay and pad; what is decoded lies in step with the mix all the same.
TEST_F(Versions, CodedFilesAreInStepAndLikeTheirMix) {
    for (const Container kind : {Container::Opus, Container::Mp3, Container::Aac}) {
        add(Content::Mix, kind).name = std::string("{name} ") + key_of(kind);
        add(Content::Dialogue, kind).name = std::string("{name} voice ") + key_of(kind);
    }
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    for (const auto& row : report->rows) {
        ASSERT_TRUE(row.difference_db) << row.path;
        EXPECT_LT(*row.difference_db, -8) << row.path;
        RecordProperty(std::string(key_of(row.asked.container)) + key_of(row.asked.content),
                       std::to_string(*row.difference_db));
    }
    // A sound that lies elsewhere, or is another, does not pass.
    auto row = report->rows[2];
    auto mix = ScratchSound::create(scratch_ / "work", kRate, 2);
    auto other = ScratchSound::create(scratch_ / "work", kRate, 2);
    ASSERT_TRUE(mix.ok() && other.ok());
    const auto decoded =
        ran("ffmpeg -v error -y -i " + test::quoted(row.path) + " " + test::quoted(scratch_ / "decoded.wav"));
    Channels x = test::read_wav(scratch_ / "decoded.wav");
    for (auto& channel : x) channel.insert(channel.begin(), 37, 0.0F);
    ASSERT_TRUE(mix->append(x).ok());
    const auto shifted = compare_coded(*mix, {}, row);
    ASSERT_FALSE(shifted.ok());
    EXPECT_NE(shifted.error().message.find("-37 samples out of step"), std::string::npos)
        << shifted.error().message;
    const auto noise = test::noise(12 * kRate, 99);
    ASSERT_TRUE(other->append(Channels{noise, noise}).ok());
    EXPECT_FALSE(compare_coded(*other, {}, row).ok());
}

TEST(Speech, IsFoundByTheVoiceAloneAndDoesNotFlutter) {
    // Words at -20 dBFS, pauses at -60; a word that sinks to between the thresholds goes on.
    std::vector<float> levels(100, -60);
    for (std::size_t k = 20; k < 50; ++k) levels[k] = -20;
    for (std::size_t k = 50; k < 55; ++k) levels[k] = -43;  // 23 dB under the loudest: still talk
    for (std::size_t k = 70; k < 75; ++k) levels[k] = -43;  // not enough to begin
    const auto speaks = speaking_steps(levels, 10);
    EXPECT_EQ(std::accumulate(speaks.begin(), speaks.end(), 0), 35);
    EXPECT_TRUE(speaks[54] && !speaks[55] && !speaks[72]);
    // Nothing but what is left of other sounds.
    const std::vector<float> remains(50, -70);
    EXPECT_EQ(std::ranges::count(speaking_steps(remains, 10, -55), true), 0);
}

}  // namespace
}  // namespace rivlen
