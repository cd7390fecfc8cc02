// SPDX-License-Identifier: GPL-3.0-or-later
// Deliveries of more than two channels, ambisonics and headphones, against readers of others and the
// standards' text.
#include <cstring>
#include <map>
#include <pugixml.hpp>
#include <set>

#include "core/base/output_file.h"
#include "core/delivery/adm.h"
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
    const auto object = model.child("audioObject");
    std::set<std::string> uids;
    for (const auto& uid : object.children("audioTrackUIDRef")) uids.insert(uid.text().get());
    EXPECT_EQ(uids.size(), tracks.size());
    for (std::size_t k = 0; k < tracks.size(); ++k) {
        EXPECT_EQ(tracks[k].track, k + 1);
        EXPECT_TRUE(uids.contains(tracks[k].uid)) << tracks[k].uid;
        EXPECT_EQ(ids[tracks[k].track_format], "audioTrackFormat");
        EXPECT_EQ(tracks[k].pack_format, object.child("audioPackFormatIDRef").text().get());
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
