// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/ixml.h"

#include <cstring>
#include <pugixml.hpp>

#include "core/media/decode.h"
#include "core/media/wave_chunks.h"

namespace rivlen {

namespace {

constexpr std::uint64_t kMostIxmlBytes = 1 << 20;

// "30000/1001", "25/1", or a decimal number.
std::optional<FrameRate> frame_rate_of(const std::string& text) {
    FrameRate rate{0, 1};
    const auto slash = text.find('/');
    rate.num = std::atoi(text.c_str());
    if (slash != std::string::npos) rate.den = std::atoi(text.c_str() + slash + 1);
    if (rate.num <= 0 || rate.den <= 0 || rate.per_second() < 1 || rate.per_second() > 240) return {};
    return rate;
}

}  // namespace

std::optional<IxmlFacts> parse_ixml(const std::string& text) {
    pugi::xml_document document;
    // Chunks may end in zeros.
    if (!document.load_buffer(text.data(), std::strlen(text.c_str()))) return {};
    const auto root = document.child("BWFXML");
    if (!root) return {};
    IxmlFacts facts;
    facts.scene = root.child("SCENE").text().get();
    facts.take = root.child("TAKE").text().get();
    facts.tape = root.child("TAPE").text().get();
    for (const auto& track : root.child("TRACK_LIST").children("TRACK")) {
        const int index = track.child("INTERLEAVE_INDEX").text().as_int();
        if (index < 1 || index > kMaxChannels) continue;
        const auto place = static_cast<std::size_t>(index) - 1;
        if (facts.track_names.size() <= place) facts.track_names.resize(place + 1);
        facts.track_names[place] = track.child("NAME").text().get();
    }
    const auto speed = root.child("SPEED");
    facts.timecode_rate = frame_rate_of(speed.child("TIMECODE_RATE").text().get());
    facts.drop_frame = std::strcmp(speed.child("TIMECODE_FLAG").text().get(), "DF") == 0;
    if (const auto low = speed.child("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO"))
        facts.samples_since_midnight =
            (static_cast<std::uint64_t>(speed.child("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI").text().as_uint())
             << 32U) |
            low.text().as_uint();
    return facts;
}

std::optional<IxmlFacts> ixml_facts(const std::filesystem::path& path) {
    const auto text = wave_chunk(path, "iXML", kMostIxmlBytes);
    return text ? parse_ixml(*text) : std::nullopt;
}

}  // namespace rivlen
