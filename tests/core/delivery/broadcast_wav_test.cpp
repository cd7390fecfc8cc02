// SPDX-License-Identifier: GPL-3.0-or-later
// Broadcast WAVs against the text of EBU Tech 3285 (version 2): a reader of chunks and fields written from
// it, which takes nothing for granted.
#include <gtest/gtest.h>

#include <cstring>
#include <map>

#include "core/base/output_file.h"
#include "core/delivery/written_sound.h"
#include "tests/core/delivery/deliveries.h"

namespace rivlen {
namespace {

using test::Deliveries;
using test::kRate;

std::uint64_t little(const std::string& bytes, std::size_t at, std::size_t count) {
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < count; ++i)
        value |= static_cast<std::uint64_t>(static_cast<unsigned char>(bytes.at(at + i))) << (8 * i);
    return value;
}

struct Chunk {
    std::string id, data;
};

// Clause 2.2: RIFF, its length, WAVE, then chunks; every chunk begins at an even place, the length in its
// head is that without the byte that fills it up.
std::vector<Chunk> chunks_of(const std::string& file) {
    EXPECT_EQ(file.substr(0, 4), "RIFF");
    EXPECT_EQ(file.substr(8, 4), "WAVE");
    EXPECT_EQ(little(file, 4, 4) + 8, file.size());
    std::vector<Chunk> out;
    std::size_t at = 12;
    while (at + 8 <= file.size()) {
        const auto length = static_cast<std::size_t>(little(file, at + 4, 4));
        EXPECT_LE(at + 8 + length, file.size()) << file.substr(at, 4);
        out.push_back({file.substr(at, 4), file.substr(at + 8, length)});
        at += 8 + length + length % 2;
    }
    EXPECT_EQ(at, file.size());
    return out;
}

// Clause 2.3: the fields of the bext chunk by their places.
struct Extension {
    explicit Extension(const std::string& data)
        : description(text(data, 0, 256)),
          originator(text(data, 256, 32)),
          reference(text(data, 288, 32)),
          date(text(data, 320, 10)),
          time(text(data, 330, 8)),
          time_reference(little(data, 338, 8)),
          version(little(data, 346, 2)),
          umid(data.substr(348, 64)),
          history(text(data, 602, data.size() - 602)) {
        for (std::size_t i = 0; i < loudness.size(); ++i)
            loudness[i] = static_cast<std::int16_t>(little(data, 412 + 2 * i, 2));
        reserved_is_zero = data.substr(422, 180) == std::string(180, '\0');
    }
    static std::string text(const std::string& data, std::size_t at, std::size_t length) {
        const std::string field = data.substr(at, length);
        return field.substr(0, field.find('\0'));
    }
    std::string description, originator, reference, date, time;
    std::uint64_t time_reference, version;
    std::string umid;
    std::array<std::int16_t, 5> loudness{};  // value, range, true peak, momentary, short-term: hundredths
    bool reserved_is_zero = false;
    std::string history;
};
constexpr std::int16_t kNotMeasured = 0x7FFF;

class BroadcastWavs : public Deliveries {
  protected:
    std::map<std::string, std::string> read(const std::filesystem::path& file) {
        const auto bytes = read_text_file(file);
        EXPECT_TRUE(bytes.ok());
        order_.clear();
        std::map<std::string, std::string> out;
        for (const auto& chunk : chunks_of(*bytes)) {
            order_.push_back(chunk.id);
            out[chunk.id] = chunk.data;
        }
        return out;
    }
    [[nodiscard]] std::ptrdiff_t place(const std::string& id) const {
        return std::ranges::find(order_, id) - order_.begin();
    }
    std::vector<std::string> order_;
};

TEST_F(BroadcastWavs, FieldsLieWhereTheTextPutsThem) {
    plan_.session.timeline.drop_frame = false;
    for (const Depth depth : {Depth::Pcm16, Depth::Pcm24, Depth::Float32}) {
        auto& row = add(Content::Mix, Container::Wav);
        row.depth = depth;
        row.name = std::string("{name} ") + key_of(depth);
        row.layout = (depth == Depth::Pcm16) ? Layout::Mono : Layout::Stereo;
    }
    plan_.table.umid = true;
    // Lengths of text that are even and odd: what follows begins at an even place either way.
    for (const char* name : {"Ferry", "Ferries"}) {
        plan_.name = name;
        const auto report = deliver(plan_);
        ASSERT_TRUE(report.ok() && report->all_done());
        for (const auto& row : report->rows) {
            auto chunks = read(row.path);
            ASSERT_TRUE(chunks.contains("bext") && chunks.contains("iXML") && chunks.contains("data"));
            EXPECT_LT(place("bext"), place("data"));
            EXPECT_LT(place("fmt "), place("data"));
            const Extension bext(chunks["bext"]);
            EXPECT_EQ(bext.description, std::string(name) + " - Mix");
            EXPECT_EQ(bext.originator, "Rivlen");
            EXPECT_EQ(bext.reference.size(), 32U);
            EXPECT_EQ(bext.date[4], '-');
            EXPECT_EQ(bext.time[2], ':');
            EXPECT_EQ(bext.time_reference, 3600ULL * kRate);  // 01:00:00:00
            EXPECT_EQ(bext.version, 2U);
            EXPECT_TRUE(bext.reserved_is_zero);
            EXPECT_TRUE(bext.history.ends_with("\r\n")) << bext.history;
            EXPECT_EQ(std::ranges::count(bext.history, '\n'), 1) << "coded once";
            EXPECT_EQ(bext.history.substr(0, 13), "A=PCM,F=48000");
            const auto& course = row.course;
            const std::array<Level, 5> measured = {
                course.loudness.integrated_lufs, course.loudness.range_lu, course.loudness.true_peak_dbtp,
                course.highest_momentary_lufs, course.highest_short_term_lufs};
            for (std::size_t i = 0; i < measured.size(); ++i)
                EXPECT_NEAR(bext.loudness[i] / 100.0, measured[i].value(), 0.06) << i;
            // SMPTE ST 330: label, length of what follows (19 bytes), then instance and material numbers;
            // FFmpeg's reader finds the same.
            EXPECT_EQ(bext.umid.substr(0, 8), std::string("\x06\x0A\x2B\x34\x01\x01\x01\x05", 8));
            EXPECT_EQ(bext.umid[12], 0x13);
            EXPECT_EQ(bext.umid.substr(32), std::string(32, '\0'));
            const auto tags = test::probed(row.path)["format"]["tags"];
            EXPECT_TRUE(tags["umid"].get<std::string>().starts_with("0x060A2B34")) << tags.dump();
            EXPECT_NE(chunks["iXML"].find("<TIMECODE_FLAG>NDF</TIMECODE_FLAG>"), std::string::npos);
        }
        EXPECT_NE(Extension(read(report->rows[0].path)["bext"]).umid,
                  Extension(read(report->rows[1].path)["bext"]).umid);
    }
    plan_.table.umid = false;
    plan_.folder = scratch_ / "without";
    ASSERT_TRUE(deliver(plan_)->all_done());
    EXPECT_EQ(Extension(read(plan_.folder / "Ferries 24.wav")["bext"]).umid, std::string(64, '\0'));
}

// "If any loudness parameter is not used, its value shall be 0x7FFF."
TEST_F(BroadcastWavs, WhatWasNotMeasuredSaysSo) {
    add(Content::Stems, Container::Wav, "");
    add(Content::Reverb, Container::Wav, "");  // silent in this session
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    const Extension stems(read(report->rows[0].path)["bext"]);
    const Extension silence(read(report->rows[1].path)["bext"]);
    for (const std::size_t i : {0U, 1U, 3U, 4U}) {
        EXPECT_EQ(stems.loudness[i], kNotMeasured) << i;
        EXPECT_EQ(silence.loudness[i], kNotMeasured) << i;
    }
    EXPECT_NEAR(stems.loudness[2] / 100.0, report->rows[0].course.loudness.true_peak_dbtp.value(), 0.02);
    EXPECT_EQ(silence.loudness[2], kNotMeasured);
}

TEST_F(BroadcastWavs, DropFrameIsSaid) {
    auto& r = plan_.session.timeline;
    r.frame_rate = {30000, 1001};
    r.drop_frame = true;
    add(Content::Mix, Container::Wav);
    const auto report = deliver(plan_);
    ASSERT_TRUE(report.ok() && report->all_done());
    const auto ixml = read(report->rows[0].path)["iXML"];
    EXPECT_NE(ixml.find("<TIMECODE_FLAG>DF</TIMECODE_FLAG>"), std::string::npos) << ixml;
    EXPECT_NE(ixml.find("<TIMECODE_RATE>30000/1001</TIMECODE_RATE>"), std::string::npos);
    // What the standard library of XML in Python finds in it.
    EXPECT_NE(test::ran("python3 -c \"import sys,xml.dom.minidom;d=open(sys.argv[1],'rb').read();"
                        "a=d.index(b'<?xml');b=d.index(b'</BWFXML>')+9;"
                        "print(xml.dom.minidom.parseString(d[a:b]).documentElement.tagName)\" " +
                        test::quoted(report->rows[0].path))
                  .find("BWFXML"),
              std::string::npos);
}

}  // namespace
}  // namespace rivlen
