// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/adm.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <pugixml.hpp>
#include <sstream>

#include "core/space/spherical_harmonics.h"

namespace rivlen {

namespace {

constexpr unsigned kFirstOwn = 0x1001;  // identifiers up to 0x0FFF belong to the common definitions

// Type definitions and their numbers.
struct FormatType {
    unsigned number;
    const char* name;
};
constexpr FormatType kDirectSpeakers = {1, "DirectSpeakers"}, kObjects = {3, "Objects"}, kHoa = {4, "HOA"},
                     kBinaural = {5, "Binaural"};

FormatType type_of_bed(const AdmFacts& f) {
    return f.binaural ? kBinaural : ambisonic_order(f.layout) > 0 ? kHoa : kDirectSpeakers;
}
std::size_t channels_of_bed(const AdmFacts& f) {
    return f.binaural ? 2 : channels_of(f.layout);
}

// A channel of the file. Packs and channels are numbered by type.
struct AdmChannel {
    FormatType type{};
    std::size_t pack = 0, number = 0;  // from 0 on, of its type
    std::string name;
    std::size_t of_bed = 0;                            // its channel of the bed
    const std::vector<ObjectBlock>* course = nullptr;  // of objects
};
// Bed or object: what belongs together.
struct AdmPack {
    FormatType type{};
    std::size_t number = 0;
    std::string name;
    std::size_t first = 0, channels = 0;  // of the file
};
struct AdmContents {
    std::vector<AdmPack> packs;
    std::vector<AdmChannel> channels;
};

std::string channel_name(const AdmFacts& f, std::size_t c) {
    if (f.binaural) return c == 0 ? "Left ear" : "Right ear";
    const auto all = loudspeakers(f.layout);
    return all.empty() ? fmt::format("ACN {}", c) : all[c].name;
}

AdmContents contents_of(const AdmFacts& f) {
    AdmContents out;
    out.packs.push_back(
        {type_of_bed(f), 0, f.binaural ? "Binaural" : name_of(f.layout), 0, channels_of_bed(f)});
    for (std::size_t c = 0; c < channels_of_bed(f); ++c)
        out.channels.push_back({type_of_bed(f), 0, c, channel_name(f, c), c, nullptr});
    std::size_t number = 0;
    for (std::size_t k = 0; k < f.objects.size(); ++k) {
        const SoundObject& object = f.objects[k];
        out.packs.push_back({kObjects, k, object.name, out.channels.size(), object.sides.size()});
        for (std::size_t side = 0; side < object.sides.size(); ++side) {
            const std::string name =
                object.sides.size() < 2 ? object.name : object.name + (side == 0 ? " left" : " right");
            out.channels.push_back({kObjects, k, number++, name, 0, &object.sides[side]});
        }
    }
    return out;
}

std::string numbered(const char* prefix, FormatType type, std::size_t number) {
    return fmt::format("{}_{:04x}{:04x}", prefix, type.number, kFirstOwn + number);
}
std::string pack_id(const AdmPack& p) {
    return numbered("AP", p.type, p.number);
}
std::string pack_id(const AdmChannel& c) {
    return numbered("AP", c.type, c.pack);
}
std::string channel_id(const AdmChannel& c) {
    return numbered("AC", c.type, c.number);
}
std::string stream_id(const AdmChannel& c) {
    return numbered("AS", c.type, c.number);
}
std::string track_format_id(const AdmChannel& c) {
    return numbered("AT", c.type, c.number) + "_01";
}
std::string track_uid(std::size_t c) {
    return fmt::format("ATU_{:08x}", c + 1);
}
std::string object_id(std::size_t k) {
    return fmt::format("AO_{:04x}", kFirstOwn + k);
}

// hh:mm:ss.fffff, BS.2076-2 clause 5.5.
std::string adm_time(double seconds) {
    const auto ticks = std::llround(seconds * 1e5);
    return fmt::format("{:02}:{:02}:{:02}.{:05}", ticks / 360000000, ticks / 6000000 % 60,
                       ticks / 100000 % 60, ticks % 100000);
}

pugi::xml_node add(pugi::xml_node into, const char* name, const std::string& value) {
    auto node = into.append_child(name);
    node.text().set(value.c_str());
    return node;
}
void set(pugi::xml_node node, const char* name, const std::string& value) {
    node.append_attribute(name).set_value(value.c_str());
}
pugi::xml_node add_typed(FormatType type, pugi::xml_node into, const char* element, const std::string& id,
                         const std::string& name) {
    auto node = into.append_child(element);
    set(node, (std::string(element) + "ID").c_str(), id);
    set(node, (std::string(element) + "Name").c_str(), name);
    set(node, "typeLabel", fmt::format("{:04x}", type.number));
    set(node, "typeDefinition", type.name);
    return node;
}
void add_position(pugi::xml_node block, Direction at) {
    const auto coordinate = [&](const char* name, double value) {
        set(add(block, "position", fmt::format("{:.2f}", value)), "coordinate", name);
    };
    coordinate("azimuth", at.azimuth_deg);
    coordinate("elevation", at.elevation_deg);
    coordinate("distance", 1);
}
pugi::xml_node add_block(const AdmChannel& c, std::size_t number, pugi::xml_node channel) {
    auto block = channel.append_child("audioBlockFormat");
    set(block, "audioBlockFormatID", numbered("AB", c.type, c.number) + fmt::format("_{:08x}", number + 1));
    return block;
}

// Where the channel's sound comes from, all along.
void add_bed_block(const AdmFacts& f, const AdmChannel& c, pugi::xml_node channel) {
    auto block = add_block(c, 0, channel);
    if (f.binaural) return;
    if (ambisonic_order(f.layout) > 0) {
        const int n = order_of_channel(c.of_bed);
        add(block, "order", std::to_string(n));
        add(block, "degree", std::to_string(static_cast<int>(c.of_bed) - n * n - n));
        add(block, "normalization", "SN3D");
        return;
    }
    const Loudspeaker& speaker = loudspeakers(f.layout)[c.of_bed];
    add(block, "speakerLabel", speaker.label);
    add_position(block, speaker.direction);
}

void add_course(const AdmChannel& c, pugi::xml_node channel) {
    for (std::size_t k = 0; k < c.course->size(); ++k) {
        const ObjectBlock& at = (*c.course)[k];
        auto block = add_block(c, k, channel);
        set(block, "rtime", adm_time(at.start_seconds));
        set(block, "duration", adm_time(at.duration_seconds));
        add_position(block, at.at);
        constexpr double kAllAroundDeg = 360;
        const std::string extent = fmt::format("{:.2f}", at.spread_percent / 100 * kAllAroundDeg);
        add(block, "width", extent);
        add(block, "height", extent);
        add(block, "jumpPosition", "0");
    }
}

void add_channel(const AdmFacts& f, const AdmChannel& c, std::size_t of_file, pugi::xml_node into) {
    auto channel = add_typed(c.type, into, "audioChannelFormat", channel_id(c), c.name);
    if (c.course == nullptr && !f.binaural && lfe_channel(f.layout) == c.of_bed)
        set(add(channel, "frequency", "120"), "typeDefinition", "lowPass");
    if (c.course != nullptr) {
        add_course(c, channel);
    } else {
        add_bed_block(f, c, channel);
    }
    auto stream = into.append_child("audioStreamFormat");
    set(stream, "audioStreamFormatID", stream_id(c));
    set(stream, "audioStreamFormatName", "PCM " + c.name);
    set(stream, "formatLabel", "0001");
    set(stream, "formatDefinition", "PCM");
    add(stream, "audioChannelFormatIDRef", channel_id(c));
    add(stream, "audioTrackFormatIDRef", track_format_id(c));
    auto track = into.append_child("audioTrackFormat");
    set(track, "audioTrackFormatID", track_format_id(c));
    set(track, "audioTrackFormatName", "PCM " + c.name);
    set(track, "formatLabel", "0001");
    set(track, "formatDefinition", "PCM");
    add(track, "audioStreamFormatIDRef", stream_id(c));
    auto uid = into.append_child("audioTrackUID");
    set(uid, "UID", track_uid(of_file));
    set(uid, "sampleRate", std::to_string(f.sample_rate));
    set(uid, "bitDepth", std::to_string(f.bits));
    add(uid, "audioTrackFormatIDRef", track_format_id(c));
    add(uid, "audioPackFormatIDRef", pack_id(c));
}

void add_programme(const AdmFacts& f, const AdmContents& contents, pugi::xml_node into) {
    const double seconds = static_cast<double>(f.frames) / f.sample_rate;
    auto programme = into.append_child("audioProgramme");
    set(programme, "audioProgrammeID", "APR_1001");
    set(programme, "audioProgrammeName", f.programme);
    if (f.language.size() == 3 && f.language != "und") set(programme, "audioProgrammeLanguage", f.language);
    set(programme, "start", adm_time(0));
    set(programme, "end", adm_time(seconds));
    add(programme, "audioContentIDRef", "ACO_1001");
    if (f.integrated_lufs) {
        auto loudness = programme.append_child("loudnessMetadata");
        set(loudness, "loudnessMethod", "ITU-R BS.1770");
        add(loudness, "integratedLoudness", fmt::format("{:.2f}", *f.integrated_lufs));
        if (f.range_lu) add(loudness, "loudnessRange", fmt::format("{:.2f}", *f.range_lu));
        if (f.true_peak_dbtp) add(loudness, "maxTruePeak", fmt::format("{:.2f}", *f.true_peak_dbtp));
    }
    auto content = into.append_child("audioContent");
    set(content, "audioContentID", "ACO_1001");
    set(content, "audioContentName", f.content);
    for (std::size_t k = 0; k < contents.packs.size(); ++k) add(content, "audioObjectIDRef", object_id(k));
    for (std::size_t k = 0; k < contents.packs.size(); ++k) {
        const AdmPack& pack = contents.packs[k];
        auto object = into.append_child("audioObject");
        set(object, "audioObjectID", object_id(k));
        set(object, "audioObjectName", k == 0 ? f.content : pack.name);
        set(object, "start", adm_time(0));
        set(object, "duration", adm_time(seconds));
        add(object, "audioPackFormatIDRef", pack_id(pack));
        for (std::size_t c = 0; c < pack.channels; ++c)
            add(object, "audioTrackUIDRef", track_uid(pack.first + c));
    }
}

void add_pack(const AdmPack& p, const AdmContents& contents, pugi::xml_node into) {
    auto pack = add_typed(p.type, into, "audioPackFormat", pack_id(p), p.name);
    for (std::size_t c = 0; c < p.channels; ++c)
        add(pack, "audioChannelFormatIDRef", channel_id(contents.channels[p.first + c]));
}

void put_text(std::vector<char>& out, const std::string& text, std::size_t length) {
    for (std::size_t i = 0; i < length; ++i) out.push_back(i < text.size() ? text[i] : '\0');
}
void put_16(std::vector<char>& out, std::size_t value) {
    out.push_back(static_cast<char>(value & 0xFFU));
    out.push_back(static_cast<char>(value >> 8U & 0xFFU));
}

}  // namespace

std::string adm_xml(const AdmFacts& f) {
    pugi::xml_document document;
    auto declaration = document.append_child(pugi::node_declaration);
    set(declaration, "version", "1.0");
    set(declaration, "encoding", "UTF-8");
    auto main = document.append_child("ebuCoreMain");
    set(main, "xmlns", "urn:ebu:metadata-schema:ebuCore_2014");
    auto format =
        main.append_child("coreMetadata").append_child("format").append_child("audioFormatExtended");
    set(format, "version", "ITU-R_BS.2076-2");
    const AdmContents contents = contents_of(f);
    add_programme(f, contents, format);
    for (const auto& pack : contents.packs) add_pack(pack, contents, format);
    for (std::size_t c = 0; c < contents.channels.size(); ++c)
        add_channel(f, contents.channels[c], c, format);
    std::ostringstream out;
    document.save(out, " ", pugi::format_indent, pugi::encoding_utf8);
    return out.str();
}

std::vector<char> chna_of(const AdmFacts& f) {
    std::vector<char> out;
    const auto channels = contents_of(f).channels;
    put_16(out, channels.size());
    put_16(out, channels.size());
    for (std::size_t c = 0; c < channels.size(); ++c) {
        put_16(out, c + 1);
        put_text(out, track_uid(c), 12);
        put_text(out, track_format_id(channels[c]), 14);
        put_text(out, pack_id(channels[c]), 11);
        out.push_back('\0');
    }
    return out;
}

}  // namespace rivlen
