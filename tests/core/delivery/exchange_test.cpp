// SPDX-License-Identifier: GPL-3.0-or-later
// Sessions for other tools: cut lists, OpenTimelineIO, DAWproject, read as those tools would.
#include <gtest/gtest.h>

#include <numbers>
#include <set>
#include <sstream>

#include "core/base/markup.h"
#include "core/base/output_file.h"
#include "core/delivery/dawproject.h"
#include "core/delivery/edl.h"
#include "core/delivery/exchange.h"
#include "core/delivery/otio.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "core/mix/engine.h"
#include "core/project/markers.h"
#include "tests/core/delivery/deliveries.h"

namespace rivlen {
namespace {

using nlohmann::json;
using test::Channels;
using test::Deliveries;
using test::kRate;
using test::quoted;
using test::ran;
namespace fs = std::filesystem;

std::vector<std::string> lists_of(const Timeline& r, const Track& track, const std::string& title) {
    Reels reels;
    return edls_of(r, track, title, reels, [](const fs::path&) { return 0; });
}

TEST(CutLists, HoldTheTracks) {
    Timeline r;
    r.sample_rate = kRate;
    r.first_timecode_frame = 90000;
    const int track = add_track(r, "Dialogue");
    Placement placement;
    placement.path = "/media/the ferry.wav";
    placement.length = 10 * kRate;
    place_clip(r, placement, ClipSource::Whole, track);
    placement.at = 15 * kRate;
    place_clip(r, placement, ClipSource::Whole, track);
    const auto edl = lists_of(r, r.tracks[0], "Ferry").front();
    EXPECT_NE(edl.find("TITLE: Ferry\r\nFCM: NON-DROP FRAME\r\n"), std::string::npos);
    EXPECT_NE(edl.find("001  THEFERRY AA    C        00:00:00:00 00:00:10:00 01:00:00:00 01:00:10:00"),
              std::string::npos)
        << edl;
    EXPECT_NE(edl.find("002  THEFERRY AA    C        00:00:00:00 00:00:10:00 01:00:15:00 01:00:25:00"),
              std::string::npos)
        << edl;
    const auto csv = clips_to_csv(r);
    EXPECT_EQ(std::ranges::count(csv, '\n'), 3);
    EXPECT_NE(csv.find("01:00:15:00,01:00:25:00"), std::string::npos);
}

TEST(Exchange, NamesStayText) {
    Timeline r;
    r.sample_rate = 48000;
    r.frame_rate = {25, 1};
    const int track = add_track(r, "=cmd|'/c calc'!A1");
    for (int i = 0; i < 3; ++i) {
        const std::string name = "/a/" + std::to_string(i) + "/take one one.wav";  // the same eight letters
        place_clip(r, {name, i * 48000, 24000, true, false, ""}, ClipSource::Whole, track);
    }
    place_clip(r, {"/a/odd\r\n002  EVIL.wav", 10 * 48000, 24000, true, false, ""}, ClipSource::Whole, track);
    const auto lists = lists_of(r, *r.track(track), "Two\nLines");
    ASSERT_EQ(lists.size(), 1U);
    std::set<std::string> reels;
    int lines = 0;
    std::istringstream text(lists[0]);
    for (std::string line; std::getline(text, line); ++lines) {
        if (line.size() > 12 && std::isdigit(static_cast<unsigned char>(line[0])) != 0)
            reels.insert(line.substr(5, 8));
    }
    EXPECT_EQ(reels.size(), 4U);
    EXPECT_EQ(lines, 2 + 4 + 4 * 2);
    const std::string csv = clips_to_csv(r);
    EXPECT_NE(csv.find("'=cmd"), std::string::npos);
    EXPECT_EQ(escaped_markup(std::string("a\x01\x1b[31m<b>", 10)), "a[31m&lt;b&gt;");
    EXPECT_EQ(one_line("a\x1b[2Jb\nc\xc2\x9b"
                       "d"),
              "a [2Jb c d");
}

TEST(Exchange, ListsHoldNoMoreEventsThanTheirFormatCanCount) {
    Timeline r;
    r.sample_rate = 48000;
    r.frame_rate = {25, 1};
    const int track = add_track(r, "Talk");
    for (int i = 0; i < 1500; ++i)
        place_clip(r, {"/a/take.wav", i * 9600, 4800, true, false, ""}, ClipSource::Whole, track);
    const auto lists = lists_of(r, *r.track(track), "Long");
    ASSERT_EQ(lists.size(), 2U);
    EXPECT_NE(lists[0].find("\r\n999  "), std::string::npos);
    EXPECT_EQ(lists[0].find("\r\n1000"), std::string::npos);
    EXPECT_NE(lists[1].find("\r\n501  "), std::string::npos);
}

// CMX 3600: the source side has the recording's own timecode; a reel is the same file in every list.
TEST_F(Deliveries, CutListsCarryTheTimecodeOfTheirRecordings) {
    // A Broadcast WAV that begins at 10:00:00:00, made by FFmpeg.
    const fs::path take = scratch_ / "slate 12.wav";
    ran("ffmpeg -v error -f lavfi -i sine=duration=4:sample_rate=48000 -write_bext 1 -metadata "
        "time_reference=" +
        std::to_string(36000LL * kRate) + " " + quoted(take));
    const auto info = probe(take);
    ASSERT_TRUE(info.ok());
    EXPECT_EQ(start_timecode_frame(*info, {25, 1}), 36000 * 25);
    // A picture says it itself; one at another rate does not lend its number.
    const auto movie = probe(fs::path(RIVLEN_ROOT) / "demo/tide-mill.mov");
    ASSERT_TRUE(movie.ok() && movie->picture);
    EXPECT_EQ(start_timecode_frame(*movie, {25, 1}), *parse_timecode(movie->picture->timecode, {25, 1}));
    Timeline& r = plan_.session.timeline;
    for (const char* name : {"Boom", "Lapel"}) {
        const int track = add_track(r, name);
        place_clip(r, {take, 2 * kRate, 2 * kRate, true, false, ""}, ClipSource::Whole, track);
        r.track(track)->clips[0].offset = kRate;
    }
    Session session = plan_.session;
    ASSERT_TRUE(write_exchange({session, plan_.media, "Ferry", plan_.folder, plan_.work, {}}).ok());
    for (const char* name : {"Boom", "Lapel"}) {
        const auto list = read_text_file(plan_.folder / (std::string("Ferry ") + name + ".edl"));
        ASSERT_TRUE(list.ok());
        EXPECT_NE(list->find("* REEL SLATE12  IS slate 12.wav"), std::string::npos) << *list;
        EXPECT_NE(list->find("001  SLATE12  AA    C        10:00:01:00 10:00:03:00 01:00:02:00 01:00:04:00"),
                  std::string::npos)
            << *list;
    }
}

// Two clips of one recording that cross-fade, one that is loud, fades, lines, markers, a bus, a send.
class Exchanged : public Deliveries {
  protected:
    void SetUp() override {
        Deliveries::SetUp();
        Timeline& r = plan_.session.timeline;
        r.tracks[0].clips.front().length = 5 * kRate;
        Placement placement;
        placement.path = r.tracks[0].clips.front().path;
        placement.at = 5 * kRate;
        placement.length = 12 * kRate;
        place_clip(r, placement, ClipSource::Whole, r.tracks[0].id);
        Clip& second = r.tracks[0].clips[1];
        second.offset = 7 * kRate;
        second.length = 4 * kRate;
        second.gain_db = -6;
        second.fade_out = {kRate / 2, FadeShape::Linear};
        r.tracks[0].strip.gain_db = 3;
        r.tracks[1].strip.pan_percent = -30;
        set_points(r.tracks[1].strip, {LaneTarget::Gain, 0, 0, {}}, {{0, 0.0}, {4 * kRate, -12.0}});
        toggle_marker(r, 3 * kRate);
        rename_marker(r, r.markers[0].id, "Bell <1>");
    }
};

TEST_F(Exchanged, AsOpenTimelineIo) {
    for (const Content content : {Content::Mix, Content::Dialogue, Content::Music})
        add(content, Container::Wav, "").version = "as mixed";
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    const MixPlan mix(plan_.session, plan_.media);
    const auto otio = json::parse(otio_of(mix, "Ferry", plan_.folder, report->rows));
    EXPECT_EQ(otio["OTIO_SCHEMA"], "Timeline.1");
    EXPECT_EQ(otio["global_start_time"]["value"], 90000.0);
    const auto& tracks = otio["tracks"]["children"];
    ASSERT_EQ(tracks.size(), 5U);
    // What was delivered lies whole on a track of its own, at its timecode, by a path beside the list.
    const auto& stem = tracks[1]["children"][0];
    EXPECT_EQ(stem["media_reference"]["target_url"], "Ferry%20dialogue%20as%20mixed.wav");
    EXPECT_EQ(stem["source_range"]["start_time"]["value"], 3600.0 * kRate);
    EXPECT_EQ(stem["source_range"]["duration"]["value"], static_cast<double>(report->rows[1].frames));
    EXPECT_EQ(stem["media_reference"]["available_range"], stem["source_range"]);
    EXPECT_EQ(tracks[0]["enabled"], true);
    // The edit follows, switched off.
    const auto& voice = tracks[3];
    EXPECT_EQ(voice["enabled"], false);
    EXPECT_NEAR(voice["effects"][0]["metadata"]["rivlen"]["gain_db"].get<double>(), 3, 1e-9);
    EXPECT_EQ(tracks[4]["effects"][0]["metadata"]["rivlen"]["line_frames_db"][1][1], -12.0);
    std::vector<std::string> kinds;
    std::int64_t length = 0;
    for (const auto& child : voice["children"]) {
        kinds.push_back(child["OTIO_SCHEMA"]);
        if (child.contains("source_range"))
            length += std::llround(child["source_range"]["duration"]["value"].get<double>());
    }
    // Cross-fade at the joint, then the fade at the end; clips and gaps fill the line to the end of the last
    // clip.
    EXPECT_EQ(kinds, (std::vector<std::string>{"Clip.1", "Transition.1", "Clip.1", "Transition.1"}));
    EXPECT_EQ(length, 9 * kRate);
    const auto& joint = voice["children"][1];
    EXPECT_EQ(joint["transition_type"], "SMPTE_Dissolve");
    EXPECT_EQ(joint["in_offset"]["value"].get<double>() + joint["out_offset"]["value"].get<double>(),
              kJointFadeMs / 1000 * kRate);
    EXPECT_EQ(voice["children"][3]["in_offset"]["value"], kRate / 2.0);
    EXPECT_EQ(voice["children"][2]["effects"][0]["metadata"]["rivlen"]["gain_db"], -6.0);
    const auto& marker = otio["tracks"]["markers"][0];
    EXPECT_EQ(marker["name"], "Bell <1>");
    EXPECT_EQ(marker["marked_range"]["start_time"]["value"], 3.0 * kRate);
    // Without stems the edit is what plays.
    EXPECT_EQ(json::parse(otio_of(mix, "Ferry", plan_.folder, {}))["tracks"]["children"][0]["enabled"], true);
}

// A reader as another tool would have it: mixes the archive by its places, offsets, fades, gains and pans.
class ProjectReader {
  public:
    explicit ProjectReader(const fs::path& folder) : folder_(folder) {}
    // Values of an XPath by xmllint, one a line.
    [[nodiscard]] std::vector<std::string> values(const std::string& path) const {
        std::istringstream out(ran("xmllint --xpath '" + path + "' " + quoted(folder_ / "project.xml")));
        std::vector<std::string> found;
        for (std::string word; std::getline(out, word);) {
            const auto first = word.find('"'), last = word.rfind('"');
            if (first != std::string::npos && last > first)
                found.push_back(word.substr(first + 1, last - first - 1));
        }
        return found;
    }
    [[nodiscard]] double value(const std::string& path, double otherwise = 0) const {
        const auto all = values(path);
        return all.empty() ? otherwise : std::stod(all.front());
    }

  private:
    fs::path folder_;
};

TEST_F(Exchanged, AsDawproject) {
    Timeline& r = plan_.session.timeline;
    r.tracks[1].strip.lines.clear();  // lines are read below
    const fs::path file = plan_.folder / "Ferry.dawproject";
    ASSERT_TRUE(write_dawproject(plan_.session, plan_.media, file, plan_.work).ok());
    EXPECT_NE(ran("unzip -t " + quoted(file)).find("No errors"), std::string::npos);
    const fs::path folder = scratch_ / "unpacked";
    ran("unzip -o " + quoted(file) + " -d " + quoted(folder));
    const fs::path schema = fs::path(RIVLEN_ROOT) / "tests/core/delivery/dawproject.xsd";
    EXPECT_NE(ran("xmllint --noout --schema " + quoted(schema) + " " + quoted(folder / "project.xml"))
                  .find("validates"),
              std::string::npos)
        << ran("xmllint --noout --schema " + quoted(schema) + " " + quoted(folder / "project.xml"));
    const ProjectReader reader(folder);
    EXPECT_EQ(reader.values("//Marker/@name"), std::vector<std::string>{"Bell &lt;1&gt;"});
    // One recording, one file, however many clips.
    EXPECT_EQ(reader.values("//Audio/File/@path").size(), 3U);
    int files = 0;
    for ([[maybe_unused]] const auto& entry : fs::directory_iterator(folder / "audio")) ++files;
    EXPECT_EQ(files, 2);
    // Mixed by what the archive says, it is what Rivlen renders.
    Channels mixed(2, std::vector<float>(static_cast<std::size_t>(r.end())));
    for (std::size_t t = 1; t <= 2; ++t) {
        const std::string track = fmt::format("/Project/Arrangement/Lanes/Lanes[{}]", t);
        const std::string strip = fmt::format("/Project/Structure/Track[{}]/Channel", t);
        const double volume = reader.value(strip + "/Volume/@value");
        const double pan = 2 * reader.value(strip + "/Pan/@value") - 1;
        const std::size_t count = reader.values(track + "/Clips/Clip/@time").size();
        for (std::size_t k = 1; k <= count; ++k) {
            const std::string clip = fmt::format("{}/Clips/Clip[{}]", track, k);
            const Channels sound = test::read_wav(folder / reader.values(clip + "//File/@path").front());
            const auto at = [&](const char* name) {
                return static_cast<std::size_t>(std::llround(reader.value(clip + "/@" + name) * kRate));
            };
            const std::size_t length = at("duration"), in = at("fadeInTime"), out = at("fadeOutTime");
            const std::size_t start = at("time"), from = at("playStart");
            const double gain = volume * reader.value(clip + "//RealPoint/@value", 1);
            for (std::size_t i = 0; i < length; ++i) {
                // Fades here are straight in the format; what Rivlen shapes otherwise is left out below.
                double fade = 1;
                if (i < in) fade = static_cast<double>(i) / static_cast<double>(in);
                if (length - i < out) fade *= static_cast<double>(length - i) / static_cast<double>(out);
                for (std::size_t c = 0; c < 2; ++c) {
                    // The format leaves the law of pan to its reader; this is Rivlen's (core/mix/fader.h).
                    const double angle = (pan + 1) * std::numbers::pi / 4;
                    const double side = std::numbers::sqrt2 * (c == 0 ? std::cos(angle) : std::sin(angle));
                    mixed[c][start + i] += static_cast<float>(gain * fade * side) * sound[c][from + i];
                }
            }
        }
    }
    double off = 0;
    ASSERT_TRUE(render_mix(std::make_shared<const MixPlan>(plan_.session, plan_.media), 0, r.end(), {},
                           [&](std::int64_t first, const AudioBlock& block) -> Status {
                               for (std::size_t i = 0; i < block.frames(); ++i) {
                                   const auto at = static_cast<std::size_t>(first) + i;
                                   const bool at_joint =
                                       std::abs(static_cast<double>(at) - 5.0 * kRate) < 500;
                                   if (at_joint) continue;
                                   for (std::size_t c = 0; c < 2; ++c)
                                       off = std::max(off, std::abs(static_cast<double>(block[c][i]) -
                                                                    static_cast<double>(mixed[c][at])));
                               }
                               return {};
                           })
                    .ok());
    EXPECT_LT(off, 2e-4);
    // The same once more leaves the folder as it is; a change leaves the earlier one beside it.
    ASSERT_TRUE(write_dawproject(plan_.session, plan_.media, file, plan_.work).ok());
    EXPECT_FALSE(fs::exists(plan_.folder / "Ferry, earlier.dawproject"));
    r.tracks[0].strip.gain_db = 0;
    ASSERT_TRUE(write_dawproject(plan_.session, plan_.media, file, plan_.work).ok());
    EXPECT_TRUE(fs::exists(plan_.folder / "Ferry, earlier.dawproject"));
}

TEST_F(Exchanged, LinesSendsAndBusesAreInTheDawproject) {
    Timeline& r = plan_.session.timeline;
    const int bus = r.new_id();
    r.buses.push_back({bus, "Talk", {}, 0});
    r.tracks[0].bus = bus;
    r.tracks[1].strip.sends.push_back({bus, -6, true, true});
    ASSERT_TRUE(write_dawproject(plan_.session, plan_.media, plan_.folder / "b.dawproject", plan_.work).ok());
    const fs::path folder = scratch_ / "unpacked";
    ran("unzip -o " + quoted(plan_.folder / "b.dawproject") + " -d " + quoted(folder));
    const fs::path schema = fs::path(RIVLEN_ROOT) / "tests/core/delivery/dawproject.xsd";
    EXPECT_NE(ran("xmllint --noout --schema " + quoted(schema) + " " + quoted(folder / "project.xml"))
                  .find("validates"),
              std::string::npos);
    const ProjectReader reader(folder);
    const auto roles = reader.values("//Channel/@role");
    EXPECT_EQ(roles, (std::vector<std::string>{"regular", "regular", "master", "submix"}));
    EXPECT_EQ(reader.values("//Track[1]/Channel/@destination"), reader.values("//Track[4]/Channel/@id"));
    EXPECT_EQ(reader.values("//Track[4]/Channel/@destination"), reader.values("//Track[3]/Channel/@id"));
    EXPECT_EQ(reader.values("//Send/@type"), std::vector<std::string>{"pre"});
    EXPECT_NEAR(reader.value("//Send/Volume/@value"), amplitude_of_db(-6), 1e-6);
    EXPECT_NEAR(reader.value("//Lanes/Lanes[2]/Points/RealPoint[2]/@value"), amplitude_of_db(-12), 1e-6);
    EXPECT_EQ(reader.value("//Lanes/Lanes[2]/Points/RealPoint[2]/@time"), 4);
}

TEST(Markers, AreSetMovedAndFound) {
    Timeline r;
    r.sample_rate = kRate;
    const int first = toggle_marker(r, 100);
    const int second = toggle_marker(r, 50);
    EXPECT_EQ(r.markers[0].id, second);
    EXPECT_EQ(r.markers[0].name, "2");
    EXPECT_EQ(next_marker(r, 50)->id, first);
    EXPECT_EQ(previous_marker(r, 50), nullptr);
    EXPECT_EQ(previous_marker(r, 51)->id, second);
    EXPECT_EQ(next_marker(r, 100), nullptr);
    move_marker(r, second, 100);  // takes the place of the one there
    ASSERT_EQ(r.markers.size(), 1U);
    EXPECT_EQ(r.markers[0].id, second);
    move_marker(r, second, -5);
    EXPECT_EQ(r.markers[0].frame, 0);
    EXPECT_EQ(toggle_marker(r, 0), 0);
    EXPECT_TRUE(r.markers.empty());
    // Kept with the session; damaged ones are put in order.
    toggle_marker(r, 700);
    Session session;
    session.timeline = r;
    const auto read = session_from_json(session_to_json(session), {});
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(read->timeline.markers, r.markers);
    auto damaged = json::parse(session_to_json(session));
    damaged["rebuild"]["markers"] = json::array({{{"id", 1}, {"frame", 9}, {"name", "b"}},
                                                 {{"id", 1}, {"frame", 9}},
                                                 {{"id", 1}, {"frame", -4}, {"name", 7}},
                                                 5});
    const auto mended = session_from_json(damaged.dump(), {});
    ASSERT_TRUE(mended.ok());
    ASSERT_EQ(mended->timeline.markers.size(), 2U);
    EXPECT_EQ(mended->timeline.markers[0].frame, 0);
    EXPECT_EQ(mended->timeline.markers[1].name, "b");
    EXPECT_NE(mended->timeline.markers[0].id, mended->timeline.markers[1].id);
}

}  // namespace
}  // namespace rivlen
