// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/ixml.h"

#include <array>
#include <cstring>
#include <fstream>
#include <pugixml.hpp>

#include "core/media/decode.h"

namespace rivlen {

namespace {

constexpr std::uint64_t kMostIxmlBytes = 1 << 20;
constexpr int kMostIxmlChunks = 1000;  // before it; more are no recording

std::uint64_t little_endian(const char* bytes, std::size_t count) {
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < count; ++i)
        value |= static_cast<std::uint64_t>(static_cast<unsigned char>(bytes[i])) << (8 * i);
    return value;
}

// "30000/1001", "25/1", or a decimal number.
std::optional<FrameRate> frame_rate_of(const std::string& text) {
    FrameRate rate{0, 1};
    const auto slash = text.find('/');
    rate.num = std::atoi(text.c_str());
    if (slash != std::string::npos) rate.den = std::atoi(text.c_str() + slash + 1);
    if (rate.num <= 0 || rate.den <= 0 || rate.per_second() < 1 || rate.per_second() > 240) return {};
    return rate;
}

// Text of the first chunk of this name.
std::optional<std::string> wave_chunk_text(const std::filesystem::path& path, const char* id) {
    std::ifstream file(path, std::ios::binary);
    std::array<char, 12> head{};
    if (!file.read(head.data(), head.size()) || std::memcmp(head.data() + 8, "WAVE", 4) != 0) return {};
    const std::string kind(head.data(), 4);
    if (kind != "RIFF" && kind != "RF64" && kind != "BW64") return {};
    std::uint64_t sound_bytes = 0;  // of RF64's data chunk, whose own length says nothing
    for (int k = 0; k < kMostIxmlChunks; ++k) {
        std::array<char, 8> chunk{};
        if (!file.read(chunk.data(), chunk.size())) return {};
        std::uint64_t length = little_endian(chunk.data() + 4, 4);
        if (std::memcmp(chunk.data(), id, 4) == 0) {
            if (length > kMostIxmlBytes) return {};
            std::string text(length, '\0');
            if (!file.read(text.data(), static_cast<std::streamsize>(length))) return {};
            return text;
        }
        if (std::memcmp(chunk.data(), "ds64", 4) == 0 && length >= 16) {
            std::array<char, 16> sizes{};
            if (!file.read(sizes.data(), sizes.size())) return {};
            sound_bytes = little_endian(sizes.data() + 8, 8);
            length -= sizes.size();
        }
        if (std::memcmp(chunk.data(), "data", 4) == 0 && length == 0xFFFFFFFFU) length = sound_bytes;
        if (length > (std::uint64_t{1} << 62)) return {};
        file.seekg(static_cast<std::streamoff>(length + length % 2), std::ios::cur);
    }
    return {};
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
    const auto text = wave_chunk_text(path, "iXML");
    return text ? parse_ixml(*text) : std::nullopt;
}

}  // namespace rivlen
