// SPDX-License-Identifier: GPL-3.0-or-later
// Deliveries of more than two channels, ambisonics and headphones, against readers of others and the
// standards' text.
#include <cstring>
#include <map>
#include <pugixml.hpp>
#include <set>

#include "core/automation/lane.h"
#include "core/base/output_file.h"
#include "core/delivery/adm_reading.h"
#include "core/dsp/decibels.h"
#include "core/space/spherical_harmonics.h"
#include "tests/core/delivery/deliveries.h"

namespace rivlen {
namespace {

using test::Deliveries;
using test::kRate;
using test::quoted;

// The voice in Left surround, the music in front, in a main bus of a layout.
class SpaceDeliveries : public Deliveries {
  protected:
    void stage(Layout layout) {
        Timeline& r = plan_.session.timeline;
        set_layout(r, r.main_bus(), layout);
        set_layout(r, r.tracks[0].id, Layout::Mono);
        r.tracks[0].strip.place.azimuth_deg = 110;
        ASSERT_TRUE(well_formed(r));
    }
    HandoverRow& add_in(Layout layout, Container container, const std::string& target = "") {
        HandoverRow& row = add(Content::Mix, container, target);
        row.layout = layout;
        row.name = "{name} " + std::string(key_of(layout));
        return row;
    }
    DeliveryReport delivered() {
        auto report = deliver(plan_);
        EXPECT_TRUE(report.ok());
        for (const auto& row : report->rows) EXPECT_EQ(row.state, RowState::Done) << row.sentence;
        return std::move(*report);
    }
};

// Chunks of a file by their names: heads of four letters and a length, data filled up to even (ITU-R
// BS.2088-1, annex 1).
std::map<std::string, std::string> wave_chunks(const std::filesystem::path& file) {
    const auto bytes = read_text_file(file);
    EXPECT_TRUE(bytes.ok());
    std::map<std::string, std::string> out;
    const auto number = [&](std::size_t at) {
        std::uint32_t value = 0;
        std::memcpy(&value, bytes->data() + at, 4);
        return static_cast<std::size_t>(value);
    };
    for (std::size_t at = 12; at + 8 <= bytes->size(); at += 8 + number(at + 4) + number(at + 4) % 2)
        out[bytes->substr(at, 4)] = bytes->substr(at + 8, number(at + 4));
    return out;
}

// ITU-R BS.2088-1, clause 7: the fields of chna by their places.
struct TrackId {
    std::size_t track = 0;
    std::string uid, track_format, pack_format;
};
std::vector<TrackId> track_ids(const std::string& chna) {
    const auto two = [&](std::size_t at) {
        return static_cast<std::size_t>(static_cast<unsigned char>(chna.at(at))) +
               256 * static_cast<std::size_t>(static_cast<unsigned char>(chna.at(at + 1)));
    };
    std::vector<TrackId> out;
    EXPECT_EQ(chna.size(), 4 + 40 * two(2));
    for (std::size_t k = 0; k < two(2); ++k) {
        const std::size_t at = 4 + 40 * k;
        out.push_back({two(at), chna.substr(at + 2, 12), chna.substr(at + 14, 14), chna.substr(at + 28, 11)});
        EXPECT_EQ(chna.at(at + 39), '\0');
    }
    return out;
}

// Rules of structure, ITU-R BS.2076-2: every identifier stands once, every reference leads to one, of the
// kind that it names; the programme leads over content and object to a pack, whose channels are those of the
// object's tracks.
pugi::xml_node checked_model(const pugi::xml_document& document, const std::vector<TrackId>& tracks) {
    const auto model =
        document.child("ebuCoreMain").child("coreMetadata").child("format").child("audioFormatExtended");
    EXPECT_TRUE(model);
    std::map<std::string, std::string> ids;  // kind of element by identifier
    for (const auto& element : model.children()) {
        const std::string kind = element.name();
        const std::string id =
            element.attribute(kind == "audioTrackUID" ? "UID" : (kind + "ID").c_str()).value();
        EXPECT_FALSE(id.empty()) << kind;
        EXPECT_TRUE(ids.emplace(id, kind).second) << id;
    }
    int references = 0;
    for (const auto& element : model.children()) {
        for (const auto& child : element.children()) {
            std::string name = child.name();
            if (!name.ends_with("IDRef")) continue;
            name.resize(name.size() - (name == "audioTrackUIDRef" ? 3 : 5));
            EXPECT_EQ(ids[child.text().get()], name) << child.text().get();
            ++references;
        }
    }
    EXPECT_GT(references, 5);
    std::map<std::string, std::string> pack_of_uid;
    for (const auto& object : model.children("audioObject")) {
        for (const auto& uid : object.children("audioTrackUIDRef"))
            EXPECT_TRUE(
                pack_of_uid.emplace(uid.text().get(), object.child("audioPackFormatIDRef").text().get())
                    .second);
    }
    EXPECT_EQ(pack_of_uid.size(), tracks.size());
    for (std::size_t k = 0; k < tracks.size(); ++k) {
        EXPECT_EQ(tracks[k].track, k + 1);
        EXPECT_EQ(ids[tracks[k].track_format], "audioTrackFormat");
        EXPECT_EQ(tracks[k].pack_format, pack_of_uid[tracks[k].uid]);
    }
    return model;
}

TEST_F(SpaceDeliveries, ABedSaysWhereItsLoudspeakersStand) {
    stage(Layout::Surround714);
    for (const Layout layout : {Layout::Surround51, Layout::Surround714}) add_in(layout, Container::Wav);
    const auto report = delivered();
    for (const auto& row : report.rows) {
        const Layout layout = row.asked.layout;
        auto chunks = wave_chunks(row.path);
        const auto tracks = track_ids(chunks["chna"]);
        pugi::xml_document document;
        ASSERT_TRUE(document.load_string(chunks["axml"].c_str()));
        const auto model = checked_model(document, tracks);
        ASSERT_EQ(tracks.size(), channels_of(layout));
        std::size_t c = 0;
        for (const auto& channel : model.children("audioChannelFormat")) {
            const Loudspeaker& speaker = loudspeakers(layout)[c];
            const auto block = channel.child("audioBlockFormat");
            EXPECT_STREQ(channel.attribute("typeDefinition").value(), "DirectSpeakers");
            EXPECT_STREQ(block.child("speakerLabel").text().get(), speaker.label);
            for (const auto& position : block.children("position")) {
                const std::string coordinate = position.attribute("coordinate").value();
                if (coordinate == "azimuth") {
                    EXPECT_EQ(position.text().as_double(), speaker.direction.azimuth_deg);
                } else if (coordinate == "elevation") {
                    EXPECT_EQ(position.text().as_double(), speaker.direction.elevation_deg);
                }
            }
            EXPECT_EQ(!channel.child("frequency").empty(), speaker.lfe);
            ++c;
        }
        EXPECT_EQ(c, channels_of(layout));
        // The voice stands at 110 degrees: in 5.1 in one channel, in 7.1.4 between two.
        const auto sound = test::read_wav(row.path);
        ASSERT_EQ(sound.size(), channels_of(layout));
        const std::size_t surround = 4;
        EXPECT_GT(energy_of(sound[surround]), 10 * energy_of(sound[surround + 1]));
        EXPECT_EQ(energy_of(sound[*lfe_channel(layout)]), 0);
    }
}

TEST_F(SpaceDeliveries, AmbisonicsSayOrderDegreeAndNorm) {
    stage(Layout::Ambisonics3);
    add_in(Layout::Ambisonics3, Container::Wav).depth = Depth::Float32;
    plan_.session.timeline.tracks[1].strip.mute = true;
    const auto report = delivered();
    auto chunks = wave_chunks(report.rows[0].path);
    const auto tracks = track_ids(chunks["chna"]);
    pugi::xml_document document;
    ASSERT_TRUE(document.load_string(chunks["axml"].c_str()));
    const auto model = checked_model(document, tracks);
    int c = 0;
    for (const auto& channel : model.children("audioChannelFormat")) {
        const auto block = channel.child("audioBlockFormat");
        const int order = block.child("order").text().as_int(),
                  degree = block.child("degree").text().as_int();
        EXPECT_EQ(order * order + order + degree, c);  // ACN
        EXPECT_STREQ(block.child("normalization").text().get(), "SN3D");
        ++c;
    }
    EXPECT_EQ(c, 16);
    const auto sound = test::read_wav(report.rows[0].path);
    std::vector<double> y(16);
    spherical_harmonics({110, 0}, y);
    for (std::size_t k = 0; k < 16; ++k) {
        for (std::size_t i = 20000; i < 40000; i += 997)
            ASSERT_NEAR(static_cast<double>(sound[k][i]), y[k] * static_cast<double>(sound[0][i]), 1e-5) << k;
    }
}

// The voice walks from the left surround past the back to the right and is handed over beside the bed. The
// file put together by what it says is the mix that went without objects; its blocks say where the line is.
TEST_F(SpaceDeliveries, ObjectsTakeTheirPlacesAlong) {
    stage(Layout::Surround714);
    Timeline& r = plan_.session.timeline;
    Strip& voice = r.tracks[0].strip;
    voice.lines.push_back({LaneTarget::Azimuth, 0, 0, {{kRate, 110}, {5 * kRate, 250}, {6 * kRate, 200}}});
    voice.place.lfe_db = -12;
    voice.gain_db = -3;
    r.buses.front().strip.gain_db = -2;
    add_in(Layout::Surround714, Container::Wav).depth = Depth::Float32;
    HandoverRow& row = add_in(Layout::Surround714, Container::Wav);
    row.depth = Depth::Float32;
    row.objects = true;
    row.name = "{name} objects";
    const auto report = delivered();
    const auto& file = report.rows[1];
    EXPECT_EQ(file.channels, 12 + 1 + 2);  // the music is a stereo track
    auto chunks = wave_chunks(file.path);
    pugi::xml_document document;
    ASSERT_TRUE(document.load_string(chunks["axml"].c_str()));
    checked_model(document, track_ids(chunks["chna"]));

    const auto reading = read_adm(file.path);
    ASSERT_TRUE(reading.ok());
    ASSERT_EQ(reading->tracks.size(), 15U);
    EXPECT_EQ(reading->tracks[12].object, "Voice");
    EXPECT_EQ(reading->tracks[13].object, "Music");
    EXPECT_NEAR(reading->tracks[13].course[0].at.azimuth_deg, 30, 0.01);
    EXPECT_NEAR(reading->tracks[14].course[0].at.azimuth_deg, -30, 0.01);
    const auto& course = reading->tracks[12].course;
    EXPECT_GT(course.size(), 30U);  // 190 degrees, 5 at most each
    EXPECT_LT(course.size(), 60U);
    double at_seconds = 0;
    for (const auto& block : course) {
        EXPECT_NEAR(block.start_seconds, at_seconds, 1e-6);
        at_seconds = block.start_seconds + block.duration_seconds;
        const auto frame = static_cast<std::int64_t>(std::lround(at_seconds * kRate));
        const double wanted = lane_value(voice.lines.back().points, frame);
        EXPECT_NEAR(std::remainder(block.at.azimuth_deg - wanted, 360), 0, 0.01) << at_seconds;
    }
    EXPECT_NEAR(at_seconds, 12, 0.01);

    const AudioBlock mix(kRate, test::read_wav(report.rows[0].path));
    AudioBlock put_together;
    AdmRenderer(*reading, Layout::Surround714, kRate)
        .render(AudioBlock(kRate, test::read_wav(file.path)), put_together);
    ASSERT_EQ(put_together.frames(), mix.frames());
    double off = 0, all = 0;
    for (std::size_t c = 0; c < mix.channels(); ++c) {
        for (std::size_t i = 0; i < mix.frames(); ++i) {
            const auto x = static_cast<double>(mix[c][i]), y = static_cast<double>(put_together[c][i]);
            off += (x - y) * (x - y);
            all += x * x;
        }
        EXPECT_GT(energy_of(put_together[3]), 0);  // what goes to the LFE stays in the bed
    }
    EXPECT_LT(db_of_power(off / all), -45);
    EXPECT_NEAR(file.course.loudness.integrated_lufs.value_or(0),
                report.rows[0].course.loudness.integrated_lufs.value_or(-99), 0.02);
}

TEST_F(SpaceDeliveries, ObjectsReachTheirTargetWithoutALimiter) {
    stage(Layout::Surround51);
    HandoverRow& row = add_in(Layout::Surround51, Container::Wav, "r128");
    row.objects = true;
    const auto report = delivered();
    EXPECT_NEAR(report.rows[0].course.loudness.integrated_lufs.value_or(0), -23, 0.1);
    EXPECT_EQ(report.rows[0].limited_db, 0);
}

TEST_F(SpaceDeliveries, WhatKeepsObjectsFromTheirBedIsSaidBefore) {
    stage(Layout::Surround51);
    const auto sentence_of = [&](const char* words) {
        const auto issues = check(plan_);
        return std::ranges::any_of(issues, [&](const Issue& issue) {
            return issue.error && issue.sentence.find(words) != std::string::npos;
        });
    };
    HandoverRow& row = add_in(Layout::Surround51, Container::Wav);
    row.objects = true;
    EXPECT_FALSE(sentence_of("object"));
    row.container = Container::Flac;
    EXPECT_TRUE(sentence_of("Objects go into Broadcast WAVs"));
    row.container = Container::Wav;
    row.layout = Layout::Stereo;
    EXPECT_TRUE(sentence_of("Objects stand beside a bed"));
    row.layout = Layout::Surround51;
    plan_.session.timeline.buses.front().strip.chain.push_back(make_part(EffectType::Compressor, 9));
    EXPECT_TRUE(sentence_of("main bus's parts"));
}

// A model as others write it: references to channels in chna, fractions of seconds, an object that begins
// later.
TEST(DefinitionModels, AreReadAsTheStandardHasThem) {
    const std::string axml = R"(<audioFormatExtended>
<audioProgramme audioProgrammeID="APR_1001" audioProgrammeName="Harbour"/>
<audioObject audioObjectID="AO_1001" audioObjectName="Gull" start="00:00:02.00000">
 <audioTrackUIDRef>ATU_00000001</audioTrackUIDRef></audioObject>
<audioChannelFormat audioChannelFormatID="AC_00031001" audioChannelFormatName="Gull" typeDefinition="Objects">
 <audioBlockFormat rtime="00:00:00.0S48000" duration="00:00:01.24000S48000">
  <position coordinate="azimuth">-20</position><position coordinate="elevation">45</position>
  <width>90</width></audioBlockFormat></audioChannelFormat>
<audioTrackUID UID="ATU_00000001"/></audioFormatExtended>)";
    std::string chna(44, '\0');
    chna[0] = chna[2] = chna[4] = 1;
    chna.replace(6, 12, "ATU_00000001").replace(18, 14, "AC_00031001_00").replace(32, 11, "AP_00031001");
    const auto read = parse_adm(axml, chna, "x");
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(read->programme, "Harbour");
    ASSERT_EQ(read->tracks.size(), 1U);
    const AdmTrack& gull = read->tracks[0];
    EXPECT_EQ(gull.kind, AdmTrack::Kind::Source);
    EXPECT_EQ(gull.object, "Gull");
    EXPECT_DOUBLE_EQ(gull.course[0].start_seconds, 2);
    EXPECT_DOUBLE_EQ(gull.course[0].duration_seconds, 1.5);
    EXPECT_DOUBLE_EQ(gull.course[0].at.azimuth_deg, -20);
    EXPECT_DOUBLE_EQ(gull.course[0].spread_percent, 25);
    EXPECT_FALSE(parse_adm(axml, chna.substr(0, 30), "x").ok());
    EXPECT_FALSE(parse_adm("<nothing/>", chna, "x").ok());
}

// Against the responses themselves, summed up by hand.
TEST_F(SpaceDeliveries, ABinauralRowIsWhatTheTwoEarsHear) {
    stage(Layout::Surround51);
    plan_.session.timeline.tracks[1].strip.mute = true;
    add_in(Layout::Surround51, Container::Wav).depth = Depth::Float32;
    HandoverRow& row = add(Content::Mix, Container::Wav, "");
    row.binaural = true;
    row.depth = Depth::Float32;
    row.name = "{name} binaural";
    const auto report = delivered();
    const auto bed = test::read_wav(report.rows[0].path), ears = test::read_wav(report.rows[1].path);
    ASSERT_EQ(ears.size(), 2U);
    const auto head = HeadResponses::open(HeadResponses::standard_set(), kRate);
    ASSERT_TRUE(head.ok());
    const auto from = head->at({110, 0});
    for (std::size_t i = 30000; i < 60000; i += 1999) {
        double left = 0, right = 0;
        for (std::size_t k = 0; k < from.left.size(); ++k) {
            left += static_cast<double>(from.left[k]) * static_cast<double>(bed[4][i - k]);
            right += static_cast<double>(from.right[k]) * static_cast<double>(bed[4][i - k]);
        }
        ASSERT_NEAR(static_cast<double>(ears[0][i]), left, 1e-4);
        ASSERT_NEAR(static_cast<double>(ears[1][i]), right, 1e-4);
    }
    EXPECT_GT(db_of_power(energy_of(ears[0]) / energy_of(ears[1])), 3);
    EXPECT_TRUE(wave_chunks(report.rows[1].path).contains("chna"));
}

TEST_F(SpaceDeliveries, FoldsReachTheirTargetsAndStemsAddUp) {
    stage(Layout::Surround51);
    for (const Layout layout : {Layout::Mono, Layout::Stereo, Layout::Surround51}) {
        for (const Content content :
             {Content::Mix, Content::Dialogue, Content::Reverb, Content::Music, Content::Ambience}) {
            HandoverRow& row = add(content, Container::Wav, "r128");
            row.layout = layout;
            row.depth = Depth::Float32;
            row.name = "{name} {content} " + std::string(key_of(layout));
        }
    }
    const auto report = delivered();
    for (const auto& row : report.rows) {
        if (row.asked.content != Content::Mix) continue;
        EXPECT_EQ(row.channels, static_cast<int>(channels_of(row.asked.layout)));
        EXPECT_NEAR(row.course.loudness.integrated_lufs.value_or(0), -23, 0.1) << key_of(row.asked.layout);
    }
    ASSERT_EQ(report.sums.size(), 3U);
    std::set<std::string> kinds;
    for (const auto& sum : report.sums) {
        kinds.insert(sum.channels);
        EXPECT_LT(sum.peak_dbfs.value_or(-200), -120) << sum.channels;
    }
    EXPECT_EQ(kinds, (std::set<std::string>{"", "mono", "5.1"}));
}

// ITU-R BS.775 with a level of the session's own: the voice in Left surround comes out 9 dB down in Left.
TEST_F(SpaceDeliveries, FoldsHaveTheSessionsLevels) {
    stage(Layout::Surround51);
    plan_.session.timeline.tracks[1].strip.mute = true;
    plan_.session.timeline.fold_down.surround_db = -9;
    add_in(Layout::Surround51, Container::Wav).depth = Depth::Float32;
    add_in(Layout::Stereo, Container::Wav).depth = Depth::Float32;
    const auto report = delivered();
    const auto bed = test::read_wav(report.rows[0].path), sides = test::read_wav(report.rows[1].path);
    EXPECT_NEAR(db_of_power(energy_of(sides[0]) / energy_of(bed[4])), -9, 0.01);
    EXPECT_EQ(energy_of(sides[1]), energy_of(bed[1]));
}

// As headphones play it while one listens: what goes to the LFE is heard at the session's level.
TEST_F(SpaceDeliveries, BinauralRowsHaveTheSessionsLevels) {
    stage(Layout::Surround51);
    plan_.session.timeline.tracks[1].strip.mute = true;
    plan_.session.timeline.tracks[0].strip.place.lfe_db = 0;
    HandoverRow& row = add(Content::Mix, Container::Wav, "");
    row.binaural = true;
    row.depth = Depth::Float32;
    const double without = energy_of(test::read_wav(delivered().rows[0].path)[0]);
    plan_.session.timeline.fold_down.lfe_db = 6;
    plan_.replace = true;
    EXPECT_GT(energy_of(test::read_wav(delivered().rows[0].path)[0]), 1.5 * without);
}

// FFmpeg reads the layout, and its own ebur128 filter measures what the report says.
TEST_F(SpaceDeliveries, CodedBedsAreReadAsFivePointOneByOthers) {
    stage(Layout::Surround51);
    for (const Container container : {Container::Flac, Container::Opus, Container::Aac})
        add_in(Layout::Surround51, container, "r128").name = "{name} " + std::string(key_of(container));
    const auto report = delivered();
    for (const auto& row : report.rows) {
        const auto facts = test::probed(row.path);
        EXPECT_EQ(facts["streams"][0]["channels"], 6) << row.path;
        EXPECT_TRUE(std::string(facts["streams"][0].value("channel_layout", "")).starts_with("5.1"))
            << row.path;
        const std::string said = test::ran("ffmpeg -nostats -i " + quoted(row.path) +
                                           " -af ebur128 -f null - 2>&1 | grep 'I:' | tail -1");
        const auto at = said.find("I:");
        ASSERT_NE(at, std::string::npos) << said;
        EXPECT_NEAR(std::stod(said.substr(at + 2)), row.course.loudness.integrated_lufs.value_or(0), 0.15)
            << row.path;
    }
}

TEST_F(SpaceDeliveries, WhatAKindCannotHoldIsSaidBefore) {
    stage(Layout::Surround71);
    add_in(Layout::Surround71, Container::Mp3);
    add_in(Layout::Surround71, Container::Wav);
    const auto issues = check(plan_);
    ASSERT_EQ(issues.size(), 1U);
    EXPECT_EQ(issues[0].row, 0);
    EXPECT_NE(issues[0].sentence.find("does not hold 7.1"), std::string::npos);
}

TEST(DeliveryTables, KeepChannelsAndReadThoseBefore) {
    HandoverTemplate table = standard_template();
    table.rows[0].layout = Layout::Ambisonics5;
    table.rows[1].binaural = true;
    table.rows[2].layout = Layout::Mono;
    table.rows[3].objects = true;
    table.rows[3].ac3 = true;
    const auto read = template_from_json(template_to_json(table), "x");
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(read->rows, table.rows);
    const auto old = template_from_json(
        R"({"rivlen_handover": 1, "rows": [{"content": "mix", "mono": true}, {"content": "mix", "mono": false}]})",
        "x");
    ASSERT_TRUE(old.ok());
    EXPECT_EQ(old->rows[0].layout, Layout::Mono);
    EXPECT_EQ(old->rows[1].layout, Layout::Stereo);
    EXPECT_FALSE(template_from_json(
                     R"({"rivlen_handover": 1, "rows": [{"content": "mix", "channels": "9.1.6"}]})", "x")
                     .ok());
}

}  // namespace
}  // namespace rivlen
