// Deliveries read back by others (ffprobe, SoX, mediainfo), meters against EBU Tech 3341 and 3342, tables,
// checks, reports.
#include <gtest/gtest.h>
#include <sndfile.h>

#include <array>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>

#include "core/base/levels.h"
#include "core/base/output_file.h"
#include "core/handover/deliver.h"
#include "core/handover/exchange.h"
#include "core/handover/report.h"
#include "core/handover/written_sound.h"
#include "core/media/decode.h"
#include "core/session/editing.h"
#include "tests/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;
using test::Channels;
constexpr int kRate = 48000;

std::string ran(const std::string& command) {
    std::string out;
    std::FILE* pipe = popen((command + " 2>&1").c_str(), "r");  // NOLINT
    std::array<char, 4096> part{};
    for (std::size_t count = 0;
         pipe != nullptr && (count = std::fread(part.data(), 1, part.size(), pipe)) > 0;)
        out.append(part.data(), count);
    if (pipe != nullptr) pclose(pipe);
    return out;
}
std::string quoted(const fs::path& path) {
    return "'" + path.string() + "'";
}
nlohmann::json probed(const fs::path& file) {
    return nlohmann::json::parse(ran("ffprobe -v error -of json -show_format -show_streams " + quoted(file)),
                                 nullptr, false);
}

// Two tracks, dialogue and music, of noise that speaks in turns.
class Deliveries : public ::testing::Test {
  protected:
    void SetUp() override {
        for (const char* name : {"voice", "music"}) {
            auto x = test::noise(12 * kRate, name[0]);
            for (std::size_t i = 0; i < x.size(); ++i) {
                const double t = static_cast<double>(i) / kRate;
                x[i] *= static_cast<float>(name[0] == 'v' ? (std::fmod(t, 3) < 1.7 ? 0.8 : 0.0)
                                                          : 0.2 + 0.1 * std::sin(t));
            }
            // Little above 3 kHz, as in speech, so that coders and other rates take no loudness; peaks that
            // stick out.
            float low = 0;
            for (std::size_t i = 0; i < x.size(); ++i) {
                low += 0.3F * (x[i] - low);
                const bool speaks = name[0] == 'v' && std::fmod(static_cast<double>(i) / kRate, 3) < 1.5;
                x[i] = speaks && i % 24000 < 40 ? 0.6F : low;
            }
            const fs::path file = scratch_ / (std::string(name) + ".wav");
            test::write_wav(file, {x, x}, kRate);
            auto source = Source::bring_in(file, scratch_ / "work");
            ASSERT_TRUE(source.ok());
            Placement placement;
            placement.path = file;
            placement.length = static_cast<std::int64_t>(source->frames());
            plan_.session.rebuild.sample_rate = kRate;
            const int track = add_track(plan_.session.rebuild, name[0] == 'v' ? "Voice" : "Music");
            place_clip(plan_.session.rebuild, placement, Feed::Whole, track);
            plan_.media[file] = {std::make_shared<const Source>(std::move(*source)), nullptr, kRate};
        }
        plan_.session.rebuild.first_timecode_frame = 90000;  // 01:00:00:00 at 25
        plan_.name = "Ferry";
        plan_.folder = scratch_ / "out";
        plan_.work = scratch_ / "work";
    }
    HandoverRow& add(Content content, Container container, const std::string& target = "r128") {
        HandoverRow row;
        row.content = content;
        row.container = container;
        row.target = target;
        plan_.table.rows.push_back(row);
        return plan_.table.rows.back();
    }
    [[nodiscard]] int leftovers() const {
        int count = 0;
        std::error_code error;
        for (const auto& entry : fs::directory_iterator(plan_.folder, error)) {
            const auto name = entry.path().filename().string();
            if (name.starts_with('.') && name != ".rivlen") ++count;
        }
        return count;
    }
    test::Scratch scratch_;
    DeliveryPlan plan_;
};

TEST_F(Deliveries, ABroadcastWavIsReadByOthers) {
    add(Content::Mix, Container::Wav);
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    ASSERT_TRUE(report->all_done()) << report->rows[0].sentence;
    const auto& row = report->rows[0];
    EXPECT_EQ(row.path, plan_.folder / "Ferry mix.wav");
    EXPECT_EQ(row.frames, 12 * kRate);
    EXPECT_TRUE(row.on_target) << row.sentence;
    EXPECT_NEAR(row.course.loudness.integrated_lufs, -23, 0.1);
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
    EXPECT_NEAR(bext.loudness_value / 100.0, row.course.loudness.integrated_lufs, 0.02);
    EXPECT_NEAR(bext.max_true_peak_level / 100.0, row.course.loudness.true_peak_dbtp, 0.02);
    sf_close(file);
    const auto bytes = read_text_file(row.path);
    ASSERT_TRUE(bytes.ok());
    EXPECT_NE(bytes->find("iXML"), std::string::npos);
    EXPECT_NE(bytes->find("<NAME>Mix L</NAME>"), std::string::npos);
    // FFmpeg's meter agrees within 0.1 LU.
    const auto ebur = ran("ffmpeg -hide_banner -nostats -i " + quoted(row.path) + " -af ebur128 -f null -");
    const auto at = ebur.rfind("I:");
    ASSERT_NE(at, std::string::npos) << ebur;
    EXPECT_NEAR(std::stod(ebur.substr(at + 2)), row.course.loudness.integrated_lufs, 0.11);
}

TEST_F(Deliveries, EveryContainerIsReadBack) {
    struct Case {
        Container container;
        Depth depth;
        const char* codec;
        int rate;
    };
    constexpr std::array<Case, 7> kCases = {{{Container::Wav, Depth::Pcm16, "pcm_s16le", 44100},
                                             {Container::Wav, Depth::Float32, "pcm_f32le", 96000},
                                             {Container::Flac, Depth::Pcm24, "flac", 0},
                                             {Container::Flac, Depth::Pcm16, "flac", 0},
                                             {Container::Opus, Depth::Pcm24, "opus", 0},
                                             {Container::Mp3, Depth::Pcm24, "mp3", 0},
                                             {Container::Aac, Depth::Pcm24, "aac", 0}}};
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
        // Pulses of one sign hold what coders cut off below 20 Hz.
        EXPECT_NEAR(row.course.loudness.integrated_lufs, -23, i < 4 ? 0.2 : 1.2) << row.path;
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

// The picture's packets are copied; the new sound comes first, tagged, and the old one behind it.
TEST_F(Deliveries, GoBackUnderThePicture) {
    const fs::path movie = fs::path(RIVLEN_ROOT) / "demo/tide-mill.mov";
    auto source = Source::bring_in(movie, scratch_ / "work");
    ASSERT_TRUE(source.ok());
    Rebuild& r = plan_.session.rebuild;
    r.tracks.clear();
    Placement placement;
    placement.path = movie;
    placement.length = static_cast<std::int64_t>(source->frames());
    place_clip(r, placement, Feed::Whole, 0);
    r.picture.push_back({r.new_id(), movie, 0, 0, placement.length});
    plan_.media[movie] = {std::make_shared<const Source>(std::move(*source)), nullptr, kRate};
    auto& row = add(Content::Mix, Container::Picture);
    row.language = "eng";
    row.keep_original_sound = true;
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok());
    ASSERT_EQ(report->rows[0].state, RowState::Done) << report->rows[0].sentence;
    EXPECT_EQ(report->rows[0].path.extension(), ".mov");
    const auto probe = probed(report->rows[0].path);
    std::vector<nlohmann::json> sounds;
    for (const auto& stream : probe["streams"]) {
        if (stream["codec_type"] == "audio") sounds.push_back(stream);
    }
    ASSERT_EQ(sounds.size(), 2U);
    EXPECT_EQ(sounds[0]["tags"]["language"], "eng");
    EXPECT_NEAR(report->rows[0].course.loudness.integrated_lufs, -23, 0.2);
    const auto timecode = probe.dump();
    EXPECT_NE(timecode.find("01:00:00:00"), std::string::npos);
    EXPECT_EQ(leftovers(), 0);
}

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
    EXPECT_NEAR(loud.course.loudness.integrated_lufs, -14, 0.5);
    EXPECT_LE(loud.course.loudness.true_peak_dbtp, -1);
    EXPECT_LT(loud.limited_db, 0);
}

TEST_F(Deliveries, DialogueCanBeWhatIsMeasured) {
    plan_.table.targets.push_back({"spoken", "Spoken", "test", -24, 0.5, -2, LoudnessGate::Dialogue, {}});
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
    EXPECT_NEAR(report->rows[0].gain_db, -24 - meter.result().integrated_lufs, 0.8);
}

TEST_F(Deliveries, ARestartSkipsWhatIsDoneAndMakesWhatIsNot) {
    add(Content::Mix, Container::Wav);
    add(Content::Music, Container::Flac);
    ASSERT_TRUE(deliver(plan_)->all_done());
    auto again = deliver(plan_);
    ASSERT_TRUE(again.ok());
    for (const auto& row : again->rows) EXPECT_EQ(row.state, RowState::Skipped) << row.sentence;
    EXPECT_NEAR(again->rows[0].course.loudness.integrated_lufs, -23, 0.1);
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
    plan_.session.rebuild.tracks[0].strip.gain_db = -3;
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
    const auto troubles = check(plan_);
    const auto says = [&](int row, const char* words, bool error) {
        return std::ranges::any_of(troubles, [&](const Trouble& t) {
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

TEST_F(Deliveries, CancellingLeavesNothing) {
    for (int i = 0; i < 4; ++i) add(Content::Mix, Container::Wav).name = std::to_string(i);
    const std::atomic<bool> stop{true};
    const auto report = deliver(plan_, {{}, &stop});
    ASSERT_TRUE(report.ok());
    for (const auto& row : report->rows) EXPECT_EQ(row.state, RowState::Cancelled);
    EXPECT_FALSE(fs::exists(plan_.folder / "0.wav"));
}

TEST_F(Deliveries, ReportsTellAClientAndAProgram) {
    add(Content::Mix, Container::Wav).version = "natural";
    plan_.name = "Ferry <&> \"quay\", part 1";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    ASSERT_TRUE(write_reports(*report, plan_.table, plan_.folder).ok());
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

TEST(HandoverTables, AreKeptAsFilesAndNamesAreSafe) {
    const test::Scratch scratch;
    HandoverTemplate table = standard_template();
    table.rows[1].card = 3;
    table.rows[1].version = "clean";
    table.rows[2].depth = Depth::Pcm16;
    table.targets.push_back({"own", "Own", "house rule", -20, 1, -3, LoudnessGate::Dialogue, -15.0});
    ASSERT_TRUE(save_template(table, scratch / "t.rivlen-handover").ok());
    const auto read = load_template(scratch / "t.rivlen-handover");
    ASSERT_TRUE(read.ok()) << read.error().message;
    EXPECT_EQ(*read, table);
    for (const char* bad : {"", "{}", "[1]", R"({"rivlen_handover":1,"rows":[{"content":"soup"}]})",
                            R"({"rivlen_handover":1,"rows":[3]})", R"({"rivlen_handover":1,"targets":[{}]})",
                            R"({"rivlen_handover":1,"rows":[{"sample_rate":3}]})", R"({"rivlen_handover":9})",
                            R"({"rivlen_handover":1,"rows":[{"name":5}]})"})
        EXPECT_FALSE(template_from_json(bad, "bad").ok()) << bad;
    HandoverRow row;
    row.name = "../{name}/{content}  {version} ";
    EXPECT_EQ(file_name(row, "a/b", ".mov"), "abmix.wav");
    row.name = "...";
    EXPECT_EQ(file_name(row, "x", ".mov"), "mix.wav");
    row.container = Container::Picture;
    row.name = "{name}";
    EXPECT_EQ(file_name(row, "x", ".mkv"), "x.mkv");
    EXPECT_NE(find_target({}, "r128"), nullptr);
    EXPECT_EQ(find_target({}, "loud"), nullptr);
    EXPECT_EQ(find_target(table.targets, "own")->true_peak_dbtp, -3);
}

TEST(CutLists, HoldTheTracks) {
    Rebuild r;
    r.sample_rate = kRate;
    r.first_timecode_frame = 90000;
    const int track = add_track(r, "Dialogue");
    Placement placement;
    placement.path = "/media/the ferry.wav";
    placement.length = 10 * kRate;
    place_clip(r, placement, Feed::Whole, track);
    placement.at = 15 * kRate;
    place_clip(r, placement, Feed::Whole, track);
    const auto edl = edl_of(r, r.tracks[0], "Ferry");
    EXPECT_NE(edl.find("TITLE: Ferry\r\nFCM: NON-DROP FRAME\r\n"), std::string::npos);
    EXPECT_NE(edl.find("001  THEFERRY AA    C        00:00:00:00 00:00:10:00 01:00:00:00 01:00:10:00"),
              std::string::npos)
        << edl;
    EXPECT_NE(edl.find("002  THEFERRY AA    C        00:00:00:00 00:00:10:00 01:00:15:00 01:00:25:00"),
              std::string::npos)
        << edl;
    const auto otio = nlohmann::json::parse(otio_of(r, "Ferry"));
    EXPECT_EQ(otio["OTIO_SCHEMA"], "Timeline.1");
    const auto& children = otio["tracks"]["children"][0]["children"];
    ASSERT_EQ(children.size(), 3U);
    EXPECT_EQ(children[1]["OTIO_SCHEMA"], "Gap.1");
    EXPECT_EQ(children[1]["source_range"]["duration"]["value"], 5.0 * kRate);
    const auto csv = clips_to_csv(r);
    EXPECT_EQ(std::ranges::count(csv, '\n'), 3);
    EXPECT_NE(csv.find("01:00:15:00,01:00:25:00"), std::string::npos);
}

Channels sine(double dbfs, double seconds, double hz = 1000) {
    Channels out(2, std::vector<float>(static_cast<std::size_t>(seconds * kRate)));
    for (std::size_t i = 0; i < out[0].size(); ++i)
        out[0][i] = out[1][i] = static_cast<float>(
            amplitude_of_db(dbfs) * std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / kRate));
    return out;
}
LoudnessCourse measured(std::initializer_list<std::pair<double, double>> parts) {
    CourseMeter meter(kRate, 2);
    for (const auto& [dbfs, seconds] : parts) meter.add(sine(dbfs, seconds));
    return meter.finish();
}

// EBU Tech 3341 (2016), table 1, cases 1 to 5, synthesised from their description: 1 kHz stereo sines,
// tolerance 0.1 LU.
TEST(EbuTech3341, IntegratedLoudness) {
    EXPECT_NEAR(measured({{-23, 20}}).loudness.integrated_lufs, -23, 0.1);
    EXPECT_NEAR(measured({{-33, 20}}).loudness.integrated_lufs, -33, 0.1);
    EXPECT_NEAR(measured({{-36, 10}, {-23, 60}, {-36, 10}}).loudness.integrated_lufs, -23, 0.1);
    EXPECT_NEAR(measured({{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}}).loudness.integrated_lufs,
                -23, 0.1);
    EXPECT_NEAR(measured({{-26, 20}, {-20, 20.1}, {-26, 20}}).loudness.integrated_lufs, -23, 0.1);
}
// Cases 1 and 2 ask for momentary and short-term loudness, too; case 12 in kind: the highest momentary
// loudness of bursts of 400 ms at -23 dBFS between silences.
TEST(EbuTech3341, MomentaryAndShortTermMaxima) {
    const auto steady = measured({{-23, 20}});
    EXPECT_NEAR(steady.highest_momentary_lufs, -23, 0.1);
    EXPECT_NEAR(steady.highest_short_term_lufs, -23, 0.1);
    CourseMeter meter(kRate, 2);
    for (int i = 0; i < 10; ++i) {
        meter.add(sine(-200, 1));
        meter.add(sine(-23, 0.4));
    }
    EXPECT_NEAR(meter.finish().highest_momentary_lufs, -23, 0.1);
}
// EBU Tech 3342 (2016), table 1, cases 1 to 4: tolerance 1 LU.
TEST(EbuTech3342, LoudnessRange) {
    EXPECT_NEAR(measured({{-20, 20}, {-30, 20}}).loudness.range_lu, 10, 1);
    EXPECT_NEAR(measured({{-20, 20}, {-15, 20}}).loudness.range_lu, 5, 1);
    EXPECT_NEAR(measured({{-40, 20}, {-20, 20}}).loudness.range_lu, 20, 1);
    EXPECT_NEAR(measured({{-50, 20}, {-35, 20}, {-20, 20}, {-35, 20}, {-50, 20}}).loudness.range_lu, 15, 1);
}

}  // namespace
}  // namespace rivlen
