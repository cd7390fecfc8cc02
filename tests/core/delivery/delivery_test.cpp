// SPDX-License-Identifier: GPL-3.0-or-later
// Deliveries read back by others (ffprobe, SoX, mediainfo), meters against EBU Tech 3341 and 3342, tables,
// checks, reports.
#include <gtest/gtest.h>

#include <cctype>

#include <sstream>

#include <sndfile.h>
#include <set>

#include <array>
#include <cmath>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <numbers>

#include "core/base/markup.h"
#include "core/base/output_file.h"
#include "core/delivery/deliver.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/exchange.h"
#include "core/delivery/report.h"
#include "core/delivery/written_sound.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "core/project/editing.h"
#include "core/separation/shaper.h"
#include "core/workflow/session_media.h"
#include "tests/core/delivery/deliveries.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;
using test::Channels;
using test::Deliveries;
using test::kRate;
using test::lowered;
using test::probed;
using test::quoted;
using test::ran;

// Ogg keeps its tags with the stream.
bool tags_lie_in_the_stream(Container container) {
    return container == Container::Opus;
}
TEST_F(Deliveries, ABroadcastWavIsReadByOthers) {
    add(Content::Mix, Container::Wav);
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    ASSERT_TRUE(report->all_done()) << report->rows[0].sentence;
    const auto& row = report->rows[0];
    EXPECT_EQ(row.path, plan_.folder / "Ferry mix.wav");
    EXPECT_EQ(row.frames, 12 * kRate);
    EXPECT_TRUE(row.on_target) << row.sentence;
    EXPECT_NEAR(row.course.loudness.integrated_lufs.value(), -23, 0.1);
    // FFmpeg's probe.
    const auto probe = probed(row.path);
    ASSERT_TRUE(probe.is_object() && probe.contains("streams"));
    EXPECT_EQ(probe["streams"][0]["codec_name"], "pcm_s24le");
    EXPECT_EQ(probe["streams"][0]["sample_rate"], "48000");
    const auto& tags = probe["format"]["tags"];
    EXPECT_EQ(tags["comment"], "Ferry - Mix");
    EXPECT_EQ(tags["encoded_by"], "Rivlen");
    EXPECT_EQ(tags["time_reference"], std::to_string(3600LL * kRate));
    // SoX.
    EXPECT_NE(ran("soxi -s " + quoted(row.path)).find(std::to_string(12 * kRate)), std::string::npos);
    EXPECT_NE(ran("soxi -b " + quoted(row.path)).find("24"), std::string::npos);
    // mediainfo.
    const auto info = ran("mediainfo " + quoted(row.path));
    EXPECT_NE(info.find("Rivlen"), std::string::npos) << info;
    EXPECT_NE(info.find("LoudnessValue"), std::string::npos) << info;
    // The loudness fields of version 2, by libsndfile.
    SF_INFO format{};
    SNDFILE* file = sf_open(row.path.c_str(), SFM_READ, &format);
    ASSERT_NE(file, nullptr);
    SF_BROADCAST_INFO bext{};
    EXPECT_EQ(sf_command(file, SFC_GET_BROADCAST_INFO, &bext, sizeof bext), SF_TRUE);
    EXPECT_EQ(bext.version, 2);
    EXPECT_NEAR(bext.loudness_value / 100.0, row.course.loudness.integrated_lufs.value(), 0.02);
    EXPECT_NEAR(bext.max_true_peak_level / 100.0, row.course.loudness.true_peak_dbtp.value(), 0.02);
    sf_close(file);
    const auto bytes = read_text_file(row.path);
    ASSERT_TRUE(bytes.ok());
    EXPECT_NE(bytes->find("iXML"), std::string::npos);
    EXPECT_NE(bytes->find("<NAME>Mix L</NAME>"), std::string::npos);
    // FFmpeg's meter agrees within 0.1 LU.
    const auto ebur = ran("ffmpeg -hide_banner -nostats -i " + quoted(row.path) + " -af ebur128 -f null -");
    const auto at = ebur.rfind("I:");
    ASSERT_NE(at, std::string::npos) << ebur;
    EXPECT_NEAR(std::stod(ebur.substr(at + 2)), row.course.loudness.integrated_lufs.value(), 0.11);
}

TEST_F(Deliveries, EveryContainerIsReadBack) {
    struct Case {
        Container container;
        Depth depth;
        const char* codec;
        int rate;
        const char* format;  // as mediainfo calls it
    };
    constexpr std::array<Case, 7> kCases = {{{Container::Wav, Depth::Pcm16, "pcm_s16le", 44100, "PCM"},
                                             {Container::Wav, Depth::Float32, "pcm_f32le", 96000, "PCM"},
                                             {Container::Flac, Depth::Pcm24, "flac", 0, "FLAC"},
                                             {Container::Flac, Depth::Pcm16, "flac", 0, "FLAC"},
                                             {Container::Opus, Depth::Pcm24, "opus", 0, "Opus"},
                                             {Container::Mp3, Depth::Pcm24, "mp3", 0, "MPEG Audio"},
                                             {Container::Aac, Depth::Pcm24, "aac", 0, "AAC"}}};
    for (const auto& c : kCases) {
        auto& row = add(Content::Mix, c.container);
        row.depth = c.depth;
        row.sample_rate = c.rate;
        row.name = fmt::format("{{name}} {} {} {{rate}}", c.codec, key_of(c.depth));
    }
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    for (std::size_t i = 0; i < kCases.size(); ++i) {
        const auto& row = report->rows[i];
        ASSERT_EQ(row.state, RowState::Done) << row.sentence;
        const auto probe = probed(row.path);
        ASSERT_TRUE(probe.contains("streams")) << row.path;
        EXPECT_EQ(probe["streams"][0]["codec_name"], kCases[i].codec);
        EXPECT_EQ(probe["streams"][0]["channels"], 2);
        const int rate = kCases[i].rate != 0 ? kCases[i].rate : kRate;
        EXPECT_EQ(probe["streams"][0]["sample_rate"], std::to_string(rate));
        EXPECT_NEAR(std::stod(probe["format"]["duration"].get<std::string>()), 12.0, 0.06) << row.path;
        // What a file says of itself, in the words of its own kind.
        const bool in_stream = tags_lie_in_the_stream(kCases[i].container);
        const auto& holder = in_stream ? probe["streams"][0] : probe["format"];
        ASSERT_TRUE(holder.contains("tags")) << probe.dump(2);
        std::map<std::string, std::string> tags;
        for (const auto& [key, value] : holder["tags"].items()) tags[lowered(key)] = value;
        if (kCases[i].container == Container::Wav) {
            EXPECT_EQ(tags["comment"], "Ferry - Mix");
            EXPECT_EQ(tags["encoded_by"], "Rivlen");
            EXPECT_EQ(tags["time_reference"], std::to_string(3600LL * rate));
        } else {
            EXPECT_EQ(tags["title"], "Ferry - Mix") << row.path;
            EXPECT_EQ(tags["album"], "Ferry") << row.path;
            EXPECT_EQ(tags["date"].size(), 10U) << row.path;
            EXPECT_TRUE(tags["comment"].ends_with("from 01:00:00:00")) << tags["comment"];
            EXPECT_TRUE(tags["comment"].starts_with("-2")) << tags["comment"];
        }
        if (kCases[i].container == Container::Opus) {
            ASSERT_FALSE(tags["r128_track_gain"].empty());
            EXPECT_NEAR(std::stod(tags["r128_track_gain"]) / 256, 0, 0.2);  // RFC 7845: to -23 LUFS
        }
        const auto info = ran("mediainfo " + quoted(row.path));
        EXPECT_NE(info.find(kCases[i].format), std::string::npos) << info;
        EXPECT_NE(info.find("Ferry - Mix"), std::string::npos) << info;
        if (kCases[i].container != Container::Aac && kCases[i].container != Container::Opus) {  // SoX reads
            EXPECT_EQ(std::stoi(ran("soxi -V1 -c " + quoted(row.path))), 2);
            EXPECT_EQ(std::stoi(ran("soxi -V1 -r " + quoted(row.path))), rate);
            EXPECT_NEAR(std::stod(ran("soxi -V1 -D " + quoted(row.path))), 12.0, 0.06);
        }
        // FFmpeg's meter on every one of them.
        const auto ebur =
            ran("ffmpeg -hide_banner -nostats -i " + quoted(row.path) + " -af ebur128 -f null -");
        const auto at = ebur.rfind("I:");
        ASSERT_NE(at, std::string::npos) << ebur;
        EXPECT_NEAR(std::stod(ebur.substr(at + 2)), row.course.loudness.integrated_lufs.value(), 0.11)
            << row.path;
        // Pulses of one sign hold what coders cut off below 20 Hz.
        EXPECT_NEAR(row.course.loudness.integrated_lufs.value(), -23, i < 4 ? 0.2 : 1.2) << row.path;
    }
    EXPECT_EQ(leftovers(), 0);
}

TEST_F(Deliveries, StemsShareAGainAndAddUp) {
    for (const Content content : {Content::Mix, Content::Dialogue, Content::Reverb, Content::Music,
                                  Content::Ambience, Content::MusicAndEffects})
        add(content, Container::Wav);
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    ASSERT_TRUE(report->all_done());
    for (const auto& row : report->rows) EXPECT_EQ(row.gain_db, report->rows[0].gain_db);
    ASSERT_EQ(report->sums.size(), 1U);
    EXPECT_LT(report->sums[0].peak_dbfs, -120);
    // What a row holds: music alone is as music alone, and the reverb stem of this session is silent.
    const Channels music = test::read_wav(report->rows[3].path);
    const Channels effects = test::read_wav(report->rows[5].path);
    EXPECT_EQ(music, effects);
    EXPECT_EQ(energy_of(test::read_wav(report->rows[2].path)[0]), 0);
}

// Of the first frame: syncinfo (16 bits of sync word, 16 of check, 8 of rate and size), bsid 5, bsmod 3,
// acmod 3, cmixlev 2 (there is a centre), surmixlev 2 (there are surrounds), lfeon 1, dialnorm 5; ETSI TS 102
// 366, 4.3, from memory.
int dialnorm_of(const std::string& ac3) {
    std::uint32_t bits = 0;
    for (std::size_t k = 5; k < 9; ++k) bits = (bits << 8U) | static_cast<unsigned char>(ac3.at(k));
    return -static_cast<int>((bits >> (32U - 5 - 3 - 3 - 2 - 2 - 1 - 5)) & 31U);
}

// The picture's packets are copied; the new sounds come first, named and tagged, the old one behind them.
class UnderAPicture : public Deliveries, public ::testing::WithParamInterface<const char*> {};
TEST_P(UnderAPicture, GoSeveralSoundsAndTheOriginal) {
    fs::path movie = fs::path(RIVLEN_ROOT) / "demo/tide-mill.mov";
    if (std::string(GetParam()) != "mov") {
        const fs::path other = scratch_ / (std::string("picture.") + GetParam());
        ran("ffmpeg -v error -i " + quoted(movie) + " -map 0:v -map 0:a -c:v copy -c:a aac " + quoted(other));
        movie = other;
    }
    auto source = Source::bring_in(movie, scratch_ / "work");
    ASSERT_TRUE(source.ok()) << source.error().message;
    Timeline& r = plan_.session.timeline;
    Placement placement;
    placement.path = movie;
    placement.length = static_cast<std::int64_t>(source->frames());
    place_clip(r, placement, ClipSource::Whole, add_track(r, "Ambience"));
    r.picture.push_back({r.new_id(), movie, 0, 0, placement.length});
    plan_.media[movie] = {std::make_shared<const Source>(std::move(*source)), nullptr, kRate};
    auto& mix = add(Content::Mix, Container::Picture);
    mix.language = "eng";
    mix.keep_original_sound = true;
    mix.name = "{name}";
    mix.version = "clean";
    auto& music = add(Content::Music, Container::Picture);
    music.language = "fra";
    music.name = "{name}";
    music.version = "clean";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    ASSERT_EQ(report->rows.size(), 2U);
    for (const auto& row : report->rows) ASSERT_EQ(row.state, RowState::Done) << row.sentence;
    const fs::path& file = report->rows[0].path;
    EXPECT_EQ(file, report->rows[1].path);
    EXPECT_EQ(file.filename(), std::string("Ferry.") + GetParam());
    const auto probe = probed(file);
    std::vector<nlohmann::json> sounds;
    for (const auto& stream : probe["streams"]) {
        if (stream["codec_type"] == "audio") sounds.push_back(stream);
    }
    ASSERT_EQ(sounds.size(), 3U);
    EXPECT_EQ(sounds[0]["tags"]["language"], "eng");
    EXPECT_EQ(sounds[1]["tags"]["language"], "fra");
    EXPECT_EQ(sounds[0]["disposition"]["default"], 1);
    EXPECT_EQ(sounds[1]["disposition"]["default"], 0);
    EXPECT_EQ(sounds[2]["disposition"]["default"], 0);
    // MOV and MP4 keep a track's name as its handler's.
    const auto name_of = [](const nlohmann::json& stream) {
        const auto& tags = stream["tags"];
        return tags.value("title", tags.value("handler_name", ""));
    };
    EXPECT_EQ(name_of(sounds[0]), "Mix, clean");
    EXPECT_EQ(name_of(sounds[1]), "Music, clean");
    EXPECT_NE(ran("mediainfo " + quoted(file)).find("Music, clean"), std::string::npos);
    const double loss = std::string(GetParam()) == "mp4" ? 0.5 : 0.2;  // AAC
    EXPECT_NEAR(report->rows[0].course.loudness.integrated_lufs.value(), -23, loss);
    // The second sound is what it should be: softer than the mix, by what the voice brings.
    EXPECT_LT(report->rows[1].course.loudness.integrated_lufs,
              report->rows[0].course.loudness.integrated_lufs.value() - 0.5);
    EXPECT_NE(probe.dump().find("01:00:00:00"), std::string::npos);
    EXPECT_EQ(leftovers(), 0);
    // A restart knows both sounds.
    const auto again = deliver(plan_);
    ASSERT_TRUE(again.ok());
    for (const auto& row : again->rows) EXPECT_EQ(row.state, RowState::Skipped) << row.sentence;
    EXPECT_NEAR(again->rows[1].course.loudness.integrated_lufs.value(),
                report->rows[1].course.loudness.integrated_lufs.value(), 0.01);
    // Another language is another delivery.
    plan_.table.rows[1].language = "deu";
    EXPECT_EQ(deliver(plan_)->rows[0].state, RowState::Failed);
}
// 5.1 as others read it; its dialogue level is the loudness (read by MediaInfo), and the last sample is
// there.
TEST_P(UnderAPicture, GoesAc3InFivePointOne) {
    const fs::path movie = scratch_ / (std::string("picture.") + GetParam());
    ran("ffmpeg -v error -f lavfi -i testsrc=size=64x64:rate=25:duration=12 -c:v mpeg4 " + quoted(movie));
    Timeline& r = plan_.session.timeline;
    set_layout(r, r.main_bus(), Layout::Surround51);
    r.picture.push_back({r.new_id(), movie, 0, 0, 12 * kRate});
    auto& mix = add(Content::Mix, Container::Picture);
    mix.ac3 = true;
    mix.layout = Layout::Surround51;
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    const auto& row = report->rows[0];
    ASSERT_EQ(row.state, RowState::Done) << row.sentence;
    const auto sound = probed(row.path)["streams"][1];
    EXPECT_EQ(sound["codec_name"], "ac3");
    EXPECT_EQ(sound["channels"], 6);
    EXPECT_TRUE(sound.value("channel_layout", "").starts_with("5.1"));
    EXPECT_NEAR(row.course.loudness.integrated_lufs.value(), -23, 0.5);  // a coder's loss: of pulses
    EXPECT_GE(row.frames, 12 * kRate);
    EXPECT_LT(row.difference_db.value_or(0), -15);
    const fs::path bare = scratch_ / "bare.ac3";
    ran("ffmpeg -v error -y -i " + quoted(row.path) + " -map 0:a:0 -c copy -f ac3 " + quoted(bare));
    EXPECT_NEAR(dialnorm_of(*read_text_file(bare)), -23, 0.5);
}
INSTANTIATE_TEST_SUITE_P(Containers, UnderAPicture, ::testing::Values("mov", "mp4", "mkv"));

TEST_F(Deliveries, StemsGoIntoOneFile) {
    add(Content::Stems, Container::Wav, "");
    add(Content::Music, Container::Wav, "");
    add(Content::Stems, Container::Mp3).name = "no";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    ASSERT_EQ(report->rows[0].state, RowState::Done) << report->rows[0].sentence;
    EXPECT_EQ(report->rows[2].state, RowState::Failed);
    const auto probe = probed(report->rows[0].path);
    EXPECT_EQ(probe["streams"][0]["channels"], 8);
    const Channels all = test::read_wav(report->rows[0].path);
    const Channels music = test::read_wav(report->rows[1].path);
    ASSERT_EQ(all.size(), 8U);
    EXPECT_EQ(all[4], music[0]);
    EXPECT_EQ(all[5], music[1]);
    EXPECT_EQ(energy_of(all[2]), 0);  // no reverb in this session
    const auto bytes = read_text_file(report->rows[0].path);
    EXPECT_NE(bytes->find("<NAME>Ambience R</NAME>"), std::string::npos);
}

// EBU R 128: a peak that allows no more is limited, and the target is reached all the same; how much is told.
TEST_F(Deliveries, TheLimiterActsOnlyAsFarAsNeeded) {
    add(Content::Mix, Container::Wav, "r128");
    add(Content::Mix, Container::Wav, "music").name = "loud";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    EXPECT_EQ(report->rows[0].limited_db, 0);
    const auto& loud = report->rows[1];
    EXPECT_NEAR(loud.course.loudness.integrated_lufs.value(), -14, 0.5);
    EXPECT_LE(loud.course.loudness.true_peak_dbtp, -1);
    EXPECT_LT(loud.limited_db, 0);
}

TEST_F(Deliveries, DialogueCanBeWhatIsMeasured) {
    plan_.table.targets.push_back({.key = "spoken",
                                   .name = "Spoken",
                                   .integrated_lufs = -24,
                                   .true_peak_dbtp = -2,
                                   .gate = LoudnessGate::Dialogue});
    add(Content::Mix, Container::Wav, "spoken");
    add(Content::Mix, Container::Wav, "").name = "as it is";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    // Only the speaking stretches of the mix as it is, measured by hand.
    const Channels mix = test::read_wav(report->rows[1].path);
    LoudnessMeter meter(kRate, 2);
    for (int from = 0; from < 12; from += 3) {
        Channels part(2);
        for (std::size_t c = 0; c < 2; ++c)
            part[c].assign(mix[c].begin() + from * kRate, mix[c].begin() + from * kRate + kRate * 8 / 5);
        meter.add(part);
    }
    EXPECT_NEAR(report->rows[0].gain_db, -24 - meter.result().integrated_lufs.value(), 0.8);
}

TEST_F(Deliveries, ARestartSkipsWhatIsDoneAndMakesWhatIsNot) {
    add(Content::Mix, Container::Wav);
    add(Content::Music, Container::Flac);
    ASSERT_TRUE(deliver(plan_)->all_done());
    auto again = deliver(plan_);
    ASSERT_TRUE(again.ok());
    for (const auto& row : again->rows) EXPECT_EQ(row.state, RowState::Skipped) << row.sentence;
    EXPECT_NEAR(again->rows[0].course.loudness.integrated_lufs.value(), -23, 0.1);
    // A harmed file is not taken for a delivery, nor is it overwritten.
    {
        std::ofstream harm(plan_.folder / "Ferry mix.wav", std::ios::binary | std::ios::app);
        harm << "x";
    }
    again = deliver(plan_);
    EXPECT_EQ(again->rows[0].state, RowState::Failed);
    EXPECT_NE(again->rows[0].sentence.find("there already"), std::string::npos);
    EXPECT_EQ(again->rows[1].state, RowState::Skipped);
    plan_.replace = true;
    again = deliver(plan_);
    EXPECT_EQ(again->rows[0].state, RowState::Done);
    // Another setting is another delivery.
    plan_.session.timeline.tracks[0].strip.gain_db = -3;
    again = deliver(plan_);
    EXPECT_EQ(again->rows[0].state, RowState::Done);
    EXPECT_EQ(leftovers(), 0);
}

TEST_F(Deliveries, TheCheckSaysWhatIsWrongBefore) {
    EXPECT_FALSE(deliver(plan_).ok());  // no rows
    add(Content::Mix, Container::Wav);
    add(Content::Mix, Container::Wav);                           // the same name
    add(Content::Reverb, Container::Wav, "nowhere").name = "r";  // no such target; silent
    add(Content::Mix, Container::Picture).name = "p";            // no picture
    auto& carded = add(Content::Mix, Container::Wav);
    carded.card = 2;  // empty
    carded.name = "c";
    auto& ranged = add(Content::Mix, Container::Wav);
    ranged.loop_only = true;
    ranged.name = "l";
    auto& floating = add(Content::Mix, Container::Flac);
    floating.depth = Depth::Float32;
    floating.name = "f";
    const auto issues = check(plan_);
    const auto says = [&](int row, const char* words, bool error) {
        return std::ranges::any_of(issues, [&](const Issue& t) {
            return t.row == row && t.error == error && t.sentence.find(words) != std::string::npos;
        });
    };
    EXPECT_TRUE(says(1, "name of row 1", true));
    EXPECT_TRUE(says(2, "no target", true));
    EXPECT_TRUE(says(2, "silent", false));
    EXPECT_TRUE(says(3, "no picture", true));
    EXPECT_TRUE(says(4, "Card 3", true));
    EXPECT_TRUE(says(5, "loop range", true));
    EXPECT_TRUE(says(6, "floating point", true));
    // The others go out all the same.
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    EXPECT_EQ(report->rows[0].state, RowState::Done);
    for (std::size_t i = 1; i < report->rows.size(); ++i)
        EXPECT_EQ(report->rows[i].state, RowState::Failed) << i;
    // A recording is never written to.
    plan_.folder = scratch_.folder();
    plan_.replace = true;
    plan_.table.rows.resize(1);
    plan_.table.rows[0].name = "voice";
    EXPECT_EQ(deliver(plan_)->rows[0].state, RowState::Failed);
    fs::remove(scratch_ / "voice.wav");
    EXPECT_FALSE(deliver(plan_).ok());
}

// What a run leaves that ended between a file's appearing and its proof: the file is made again. The same
// name from before that run is somebody else's.
// A song whose music is opened: what a row leaves out is missing from it, and nothing else.
TEST_F(Deliveries, RowsLeaveOutAPartOfTheMusic) {
    plan_.session.timeline.tracks.clear();
    plan_.media.clear();
    const fs::path file = scratch_ / "music.wav";
    auto source = Source::bring_in(file, scratch_ / "work");
    ASSERT_TRUE(source.ok());
    const MaskMap closed = even_map(scratch_, *source, {0, 0, 1, 0});
    const auto parts = std::make_shared<const MaskMap>(random_map(scratch_, *source));
    const auto length = static_cast<std::int64_t>(source->frames());
    place_clip(plan_.session.timeline, {file, 0, length, true, false, "Song"}, ClipSource::Music, 0);
    place_clip(plan_.session.timeline, {file, 0, length, true, false, "Singer"}, ClipSource::Voices, 0);
    SessionItem item;
    item.path = file;
    plan_.session.items = {item};
    const auto shared = std::make_shared<const Source>(std::move(*source));
    for (const auto content : {Content::Music, Content::Instrumental, Content::MusicWithoutDrums})
        add(content, Container::Wav, "").depth = Depth::Float32;
    // Not opened yet: the voices may stay, with a word; drums that stay are an error, as is a part on a
    // track.
    plan_.media[file] = {shared, std::make_shared<const MaskMap>(closed), kRate};
    const auto before = check(plan_);
    const auto says = [](const std::vector<Issue>& issues, int row, bool error, const char* words) {
        return std::ranges::any_of(issues, [&](const Issue& issue) {
            return issue.row == row && issue.error == error &&
                   issue.sentence.find(words) != std::string::npos;
        });
    };
    EXPECT_TRUE(says(before, 1, false, "its voices stay"));
    EXPECT_TRUE(says(before, 2, true, "its drums stay"));
    EXPECT_TRUE(says(before, -1, true, "has not been opened"));
    EXPECT_TRUE(needs_music_parts(plan_.session, file));  // a clip plays one

    plan_.media[file].map = std::make_shared<const MaskMap>(*closed.opened(parts));
    for (const Issue& issue : check(plan_)) EXPECT_FALSE(issue.error) << issue.sentence;
    const auto out = deliver(plan_, {});
    ASSERT_TRUE(out.ok()) << out.error().message;
    const auto sound = [&](const char* content) {
        return test::read_wav(plan_.folder / (std::string("Ferry ") + content + ".wav"))[0];
    };
    const auto music = sound("music"), instrumental = sound("instrumental"),
               drumless = sound("music-without-drums");
    // The same by themselves: the music holds its voices twice here, by both clips.
    const auto alone = [&](MusicPart part) {
        std::vector<float> samples;
        const std::array sets = {stem_weights(StemSettings{}, sound_of(part))};
        EXPECT_TRUE(render(*shared, *plan_.media[file].map, sets, 0, length, {},
                           [&](std::int64_t, std::span<const AudioBlock> blocks) {
                               samples.insert(samples.end(), blocks[0][0].begin(), blocks[0][0].end());
                               return Status{};
                           })
                        .ok());
        return samples;
    };
    const auto voices = alone(MusicPart::Voices), drums = alone(MusicPart::Drums);
    for (std::size_t i = 2000; i + 2000 < music.size(); i += 7) {
        ASSERT_NEAR(music[i] - instrumental[i], 2 * voices[i], 2e-5F) << i;
        ASSERT_NEAR(music[i] - drumless[i], drums[i], 2e-5F) << i;
    }
    // Files that play as they came cannot be opened on the way out.
    plan_.session.timeline.tracks[0].clips[0].clip_source = ClipSource::Whole;
    plan_.session.timeline.tracks[0].name = "Music";
    EXPECT_TRUE(says(check(plan_), 2, true, "plays as it came"));
}

TEST_F(Deliveries, WhatWasBrokenOffIsMadeAgain) {
    add(Content::Mix, Container::Wav);
    ASSERT_TRUE(deliver(plan_)->all_done());
    const fs::path file = plan_.folder / "Ferry mix.wav";
    fs::path proof;
    for (const auto& entry : fs::directory_iterator(plan_.folder / ".rivlen")) {
        EXPECT_EQ(entry.path().extension(), ".json");  // nothing else is left when all went well
        proof = entry.path();
    }
    const auto text = read_text_file(proof);
    ASSERT_TRUE(text.ok());
    const auto made_from = nlohmann::json::parse(*text)["made_from"].get<std::string>();
    const auto break_off = [&](std::chrono::seconds file_against_note) {
        fs::remove(proof);
        const fs::path note = fs::path(proof).replace_extension(".begun");
        ASSERT_TRUE(write_text_file(note, made_from).ok());
        fs::last_write_time(file, fs::last_write_time(note) + file_against_note);
    };
    break_off(std::chrono::seconds(-5));
    auto again = deliver(plan_);
    EXPECT_EQ(again->rows[0].state, RowState::Failed);
    EXPECT_NE(again->rows[0].sentence.find("there already"), std::string::npos);
    break_off(std::chrono::seconds(5));
    again = deliver(plan_);
    EXPECT_EQ(again->rows[0].state, RowState::Done) << again->rows[0].sentence;
    again = deliver(plan_);
    EXPECT_EQ(again->rows[0].state, RowState::Skipped);
    EXPECT_EQ(leftovers(), 0);
}

TEST_F(Deliveries, CancellingLeavesNothing) {
    for (int i = 0; i < 4; ++i) add(Content::Mix, Container::Wav).name = std::to_string(i);
    const std::atomic<bool> stop{true};
    const auto report = deliver(plan_, {{}, &stop});
    ASSERT_TRUE(report.ok());
    for (const auto& row : report->rows) EXPECT_EQ(row.state, RowState::Cancelled);
    EXPECT_FALSE(fs::exists(plan_.folder / "0.wav"));
}

// Silence is written as it is, and is on no target.
TEST_F(Deliveries, ASilentProgrammeIsOnNoTarget) {
    for (auto& track : plan_.session.timeline.tracks) track.strip.mute = true;
    add(Content::Mix, Container::Wav);
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    const DeliveredRow& row = report->rows[0];
    EXPECT_EQ(row.state, RowState::Done) << row.sentence;
    EXPECT_FALSE(row.on_target);
    EXPECT_NE(row.sentence.find("silent"), std::string::npos) << row.sentence;
    EXPECT_FALSE(row.gated_lufs);
    EXPECT_TRUE(nlohmann::json::parse(report_to_json(*report))["rows"][0]["integrated_lufs"].is_null());
    EXPECT_EQ(report_to_html(*report, plan_.table).find("-120"), std::string::npos);
}

TEST_F(Deliveries, ReportsTellAClientAndAProgram) {
    add(Content::Mix, Container::Wav).version = "natural";
    plan_.name = "Ferry <&> \"quay\", part 1";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    ASSERT_TRUE(write_reports(*report, plan_.table, plan_.folder).ok());
    // The same once more leaves the folder as it is; another one leaves the first under a name of its own.
    ASSERT_TRUE(write_reports(*report, plan_.table, plan_.folder).ok());
    const auto page = report_page(plan_.name, plan_.folder);
    const auto earlier = plan_.folder / (page.stem().string() + ", earlier.html");
    EXPECT_FALSE(fs::exists(earlier));
    const std::string first = *read_text_file(page);
    auto later = *report;
    later.rows[0].checksum += "0";
    ASSERT_TRUE(write_reports(later, plan_.table, plan_.folder).ok());
    EXPECT_EQ(*read_text_file(earlier), first);
    EXPECT_NE(*read_text_file(page), first);
    later.rows[0].checksum += "0";
    ASSERT_TRUE(write_reports(later, plan_.table, plan_.folder).ok());
    EXPECT_EQ(*read_text_file(earlier), first);
    EXPECT_TRUE(fs::exists(plan_.folder / (page.stem().string() + ", earlier 2.html")));
    const auto html = report_to_html(*report, plan_.table);
    EXPECT_NE(html.find("Ferry &lt;&amp;&gt;"), std::string::npos);
    EXPECT_EQ(html.find("<&>"), std::string::npos);
    EXPECT_NE(html.find("<svg"), std::string::npos);
    EXPECT_NE(html.find("EBU R 128"), std::string::npos);
    EXPECT_NE(html.find(report->rows[0].checksum), std::string::npos);
    const auto json = nlohmann::json::parse(report_to_json(*report));
    EXPECT_EQ(json["rows"][0]["frames"], 12 * kRate);
    EXPECT_EQ(json["rows"][0]["version"], "natural");
    const auto table = report_to_csv(*report);
    EXPECT_NE(table.find("\"Ferry <&> \"\"quay\"\", part 1 mix natural.wav\""), std::string::npos) << table;
}

// What is handed on to be measured comes complete and in order, whatever the pieces.
TEST(BlocksInBackground, HandsOnEverythingInOrder) {
    std::vector<float> taken;
    BlocksInBackground alongside(48000, 2, [&](const AudioBlock& block) {
        ASSERT_EQ(block.channels(), 2U);
        ASSERT_EQ(block.sample_rate(), 48000);
        ASSERT_EQ(block[0].size(), block[1].size());
        for (std::size_t i = 0; i < block[0].size(); ++i) ASSERT_EQ(block[1][i], -block[0][i]);
        taken.insert(taken.end(), block[0].begin(), block[0].end());
    });
    float next = 1;
    for (int piece = 0; piece < 300; ++piece) {
        Channels part(2);
        for (int i = 0; i < 1 + piece * 7 % 1000; ++i, ++next) {
            part[0].push_back(next);
            part[1].push_back(-next);
        }
        alongside.add(part);
    }
    alongside.finish();
    ASSERT_EQ(taken.size(), static_cast<std::size_t>(next) - 1);
    for (std::size_t i = 0; i < taken.size(); ++i) ASSERT_EQ(taken[i], static_cast<float>(i + 1));
}

TEST(HandoverTables, AreKeptAsFilesAndNamesAreSafe) {
    const test::Scratch scratch;
    HandoverTemplate table = standard_template();
    table.rows[1].card = 3;
    table.rows[1].version = "clean";
    table.rows[2].depth = Depth::Pcm16;
    table.targets.push_back({.key = "own",
                             .name = "Own",
                             .source = "house rule",
                             .edition = "2",
                             .date = "2026-01",
                             .integrated_lufs = -20,
                             .tolerance_lu = 1,
                             .true_peak_dbtp = -3,
                             .gate = LoudnessGate::Dialogue,
                             .short_term_lufs = -15.0});
    ASSERT_TRUE(save_template(table, scratch / "t.rivlen-handover").ok());
    const auto read = load_template(scratch / "t.rivlen-handover");
    ASSERT_TRUE(read.ok()) << read.error().message;
    EXPECT_EQ(*read, table);
    for (const char* bad : {"", "{}", "[1]", R"({"rivlen_handover":1,"rows":[{"content":"soup"}]})",
                            R"({"rivlen_handover":1,"rows":[3]})", R"({"rivlen_handover":1,"targets":[{}]})",
                            R"({"rivlen_handover":1,"rows":[{"sample_rate":3}]})", R"({"rivlen_handover":9})",
                            R"({"rivlen_handover":1,"rows":[{"sample_rate":-4e24}]})",
                            R"({"rivlen_handover":1,"rows":[{"name":5}]})"})
        EXPECT_FALSE(template_from_json(bad, "bad").ok()) << bad;
    const auto far = template_from_json(R"({"rivlen_handover":1,"rows":[{"card":4e24}]})", "far");
    ASSERT_TRUE(far.ok());
    EXPECT_EQ(far->rows[0].card, 5);
    HandoverRow row;
    row.name = "../{name}/{content}  {version} ";
    EXPECT_EQ(file_name(row, "a/b", ".mov"), "abmix.wav");
    EXPECT_EQ(file_part("../a/b  c. "), "ab c");
    EXPECT_EQ(report_page("a/b", "out"), fs::path("out/ab report.html"));
    EXPECT_TRUE(keeps_samples(Container::Flac) && !coded_kind(Container::Flac));
    EXPECT_TRUE(!keeps_samples(Container::Picture) && !coded_kind(Container::Picture));
    EXPECT_TRUE(coded_kind(Container::Opus) && !has_depth(Container::Opus, Depth::Pcm24));
    row.name = "...";
    EXPECT_EQ(file_name(row, "x", ".mov"), "mix.wav");
    row.container = Container::Picture;
    row.name = "{name}";
    EXPECT_EQ(file_name(row, "x", ".mkv"), "x.mkv");
    EXPECT_NE(find_target({}, "r128"), nullptr);
    EXPECT_EQ(find_target({}, "loud"), nullptr);
    EXPECT_EQ(find_target(table.targets, "own")->true_peak_dbtp, -3);
}

Channels sine(double dbfs, double seconds, double hz = 1000) {
    Channels out(2, std::vector<float>(static_cast<std::size_t>(seconds * kRate)));
    for (std::size_t i = 0; i < out[0].size(); ++i)
        out[0][i] = out[1][i] = static_cast<float>(
            amplitude_of_db(dbfs) * std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / kRate));
    return out;
}
LoudnessTimeline measured(std::initializer_list<std::pair<double, double>> parts) {
    LoudnessTimelineMeter meter(kRate, 2);
    for (const auto& [dbfs, seconds] : parts) meter.add(sine(dbfs, seconds));
    return meter.finish();
}

// EBU Tech 3341 (2016), table 1, cases 1 to 5, synthesised from their description: 1 kHz stereo sines,
// tolerance 0.1 LU.
TEST(EbuTech3341, IntegratedLoudness) {
    EXPECT_NEAR(measured({{-23, 20}}).loudness.integrated_lufs.value(), -23, 0.1);
    EXPECT_NEAR(measured({{-33, 20}}).loudness.integrated_lufs.value(), -33, 0.1);
    EXPECT_NEAR(measured({{-36, 10}, {-23, 60}, {-36, 10}}).loudness.integrated_lufs.value(), -23, 0.1);
    EXPECT_NEAR(
        measured({{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}}).loudness.integrated_lufs.value(),
        -23, 0.1);
    EXPECT_NEAR(measured({{-26, 20}, {-20, 20.1}, {-26, 20}}).loudness.integrated_lufs.value(), -23, 0.1);
}
// Cases 1 and 2 ask for momentary and short-term loudness, too; case 12 in kind: the highest momentary
// loudness of bursts of 400 ms at -23 dBFS between silences.
TEST(EbuTech3341, MomentaryAndShortTermMaxima) {
    const auto steady = measured({{-23, 20}});
    EXPECT_NEAR(steady.highest_momentary_lufs.value(), -23, 0.1);
    EXPECT_NEAR(steady.highest_short_term_lufs.value(), -23, 0.1);
    LoudnessTimelineMeter meter(kRate, 2);
    for (int i = 0; i < 10; ++i) {
        meter.add(sine(-200, 1));
        meter.add(sine(-23, 0.4));
    }
    EXPECT_NEAR(meter.finish().highest_momentary_lufs.value(), -23, 0.1);
}
// Cases 15 to 19 (true peak): sines at a quarter and a sixth of the rate and others whose phase puts the peak
// between the samples; +0.2 and -0.4 dB are allowed. Level -6 dBTP, and +3 dBTP for case 19.
TEST(EbuTech3341, TruePeak) {
    struct Case {
        double part_of_rate, phase_degrees, amplitude, dbtp;
    };
    for (const auto& c : std::initializer_list<Case>{{1.0 / 4, 0, 0.5, -6},
                                                     {1.0 / 4, 45, 0.5, -6},
                                                     {1.0 / 6, 60, 0.5, -6},
                                                     {1.0 / 8, 67.5, 0.5, -6},
                                                     {1.0 / 4, 45, 1.41, 3}}) {
        Channels out(2, std::vector<float>(kRate));
        for (std::size_t i = 0; i < out[0].size(); ++i) {
            const double turn =
                2 * std::numbers::pi * (c.part_of_rate * static_cast<double>(i) + c.phase_degrees / 360);
            const double fade =
                std::min({1.0, static_cast<double>(i) / 4800, static_cast<double>(out[0].size() - i) / 4800});
            out[0][i] = out[1][i] = static_cast<float>(c.amplitude * fade * std::sin(turn));
        }
        LoudnessTimelineMeter meter(kRate, 2);
        meter.add(out);
        const double peak = meter.finish().loudness.true_peak_dbtp.value();
        EXPECT_LE(peak, c.dbtp + 0.2) << c.phase_degrees;
        EXPECT_GE(peak, c.dbtp - 0.4) << c.phase_degrees;
    }
}
// libebur128 finds the same true peaks, whatever the pieces in which the sound comes; also where the highest
// lies at the very end, and at another rate.
TEST(TruePeaks, AreThoseOfLibebur128) {
    for (const int rate : {44100, kRate}) {
        for (const unsigned seed : {1U, 2U, 3U}) {
            Channels x = {test::noise(30000, seed), test::noise(30000, seed + 10)};
            // A little band-limited, as recordings are; half a sample either side of the middle.
            for (auto& channel : x) {
                float last = 0;
                for (float& v : channel) {
                    const float now = v;
                    v = 0.5F * (now + last);
                    last = now;
                }
            }
            if (seed == 3) x[1].back() = x[1][x[1].size() - 2] = 0.9F;
            LoudnessTimelineMeter meter(rate, 2);
            for (std::size_t at = 0; at < x[0].size();) {
                const std::size_t count = std::min<std::size_t>(x[0].size() - at, 1 + at % 777);
                const auto from = static_cast<std::ptrdiff_t>(at);
                const auto to = static_cast<std::ptrdiff_t>(at + count);
                meter.add(Channels{{x[0].begin() + from, x[0].begin() + to},
                                   {x[1].begin() + from, x[1].begin() + to}});
                at += count;
            }
            LoudnessMeter other(rate, 2, LoudnessMeter::Kind::Running);
            other.add(x);
            other.add(Channels(2, std::vector<float>(64)));
            EXPECT_NEAR(meter.finish().loudness.true_peak_dbtp.value(), other.result().true_peak_dbtp.value(),
                        0.15)
                << rate << " " << seed;
        }
    }
}
// The course over time against libebur128 asked every 100 ms.
TEST(LoudnessCourses, AreThoseOfLibebur128) {
    Channels x = {test::noise(8 * kRate, 1), test::noise(8 * kRate, 2)};
    for (std::size_t i = 0; i < x[0].size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        for (auto& channel : x) channel[i] *= static_cast<float>(t > 4 && t < 4.6 ? 0.0 : 0.1 + 0.05 * t);
    }
    LoudnessTimelineMeter meter(kRate, 2);
    meter.add(x);
    const auto course = meter.finish();
    LoudnessMeter other(kRate, 2);
    double momentary = -120;
    std::vector<double> short_term;
    for (std::size_t at = 0; at < x[0].size(); at += 4800) {
        Channels part;
        for (const auto& channel : x)
            part.emplace_back(channel.begin() + static_cast<std::ptrdiff_t>(at),
                              channel.begin() + static_cast<std::ptrdiff_t>(at + 4800));
        other.add(part);
        momentary = std::max(momentary, other.momentary_lufs().value_or(-120));
        short_term.push_back(other.short_term_lufs().value_or(-120));
    }
    EXPECT_NEAR(course.highest_momentary_lufs.value(), momentary, 1e-6);
    EXPECT_NEAR(course.highest_short_term_lufs.value(), *std::ranges::max_element(short_term), 1e-6);
    ASSERT_EQ(course.short_term_lufs.size(), 8U);
    for (std::size_t s = 0; s < 8; ++s)
        EXPECT_NEAR(static_cast<double>(course.short_term_lufs[s]), short_term[10 * s + 9], 1e-4);
}
// EBU Tech 3342 (2016), table 1, cases 1 to 4: tolerance 1 LU.
TEST(EbuTech3342, LoudnessRange) {
    EXPECT_NEAR(measured({{-20, 20}, {-30, 20}}).loudness.range_lu, 10, 1);
    EXPECT_NEAR(measured({{-20, 20}, {-15, 20}}).loudness.range_lu, 5, 1);
    EXPECT_NEAR(measured({{-40, 20}, {-20, 20}}).loudness.range_lu, 20, 1);
    EXPECT_NEAR(measured({{-50, 20}, {-35, 20}, {-20, 20}, {-35, 20}, {-50, 20}}).loudness.range_lu, 15, 1);
}

// Names of strangers' files cannot become events, fields or commands.
}  // namespace
}  // namespace rivlen
