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

// Type definitions: DirectSpeakers 0001, HOA 0004, Binaural 0005.
unsigned type_of(const AdmFacts& f) {
    return f.binaural ? 5U : ambisonic_order(f.layout) > 0 ? 4U : 1U;
}
const char* type_name(const AdmFacts& f) {
    return f.binaural ? "Binaural" : ambisonic_order(f.layout) > 0 ? "HOA" : "DirectSpeakers";
}
std::size_t channels_in(const AdmFacts& f) {
    return f.binaural ? 2 : channels_of(f.layout);
}

std::string pack_id(const AdmFacts& f) {
    return fmt::format("AP_{:04x}{:04x}", type_of(f), kFirstOwn);
}
std::string channel_id(const AdmFacts& f, std::size_t c) {
    return fmt::format("AC_{:04x}{:04x}", type_of(f), kFirstOwn + c);
}
std::string stream_id(const AdmFacts& f, std::size_t c) {
    return fmt::format("AS_{:04x}{:04x}", type_of(f), kFirstOwn + c);
}
std::string track_format_id(const AdmFacts& f, std::size_t c) {
    return fmt::format("AT_{:04x}{:04x}_01", type_of(f), kFirstOwn + c);
}
std::string track_uid(std::size_t c) {
    return fmt::format("ATU_{:08x}", c + 1);
}

// hh:mm:ss.fffff, BS.2076-2 clause 5.5.
std::string adm_time(const AdmFacts& f, std::size_t frames) {
    const double seconds = static_cast<double>(frames) / f.sample_rate;
    const auto whole = static_cast<long>(std::floor(seconds));
    return fmt::format("{:02}:{:02}:{:08.5f}", whole / 3600, whole / 60 % 60,
                       seconds - static_cast<double>(whole - whole % 60));
}

std::string channel_name(const AdmFacts& f, std::size_t c) {
    if (f.binaural) return c == 0 ? "Left ear" : "Right ear";
    const auto all = loudspeakers(f.layout);
    return all.empty() ? fmt::format("ACN {}", c) : all[c].name;
}

pugi::xml_node add(pugi::xml_node into, const char* name, const std::string& value) {
    auto node = into.append_child(name);
    node.text().set(value.c_str());
    return node;
}
void set(pugi::xml_node node, const char* name, const std::string& value) {
    node.append_attribute(name).set_value(value.c_str());
}
pugi::xml_node add_typed(const AdmFacts& f, pugi::xml_node into, const char* element,
                         const std::string& prefix, const std::string& id, const std::string& name) {
    auto node = into.append_child(element);
    set(node, (prefix + "ID").c_str(), id);
    set(node, (prefix + "Name").c_str(), name);
    set(node, "typeLabel", fmt::format("{:04x}", type_of(f)));
    set(node, "typeDefinition", type_name(f));
    return node;
}

// Where the channel's sound comes from, all along.
void add_block(const AdmFacts& f, std::size_t c, pugi::xml_node channel) {
    auto block = channel.append_child("audioBlockFormat");
    set(block, "audioBlockFormatID", fmt::format("AB_{:04x}{:04x}_00000001", type_of(f), kFirstOwn + c));
    if (f.binaural) return;
    if (const int order = ambisonic_order(f.layout); order > 0) {
        const int n = order_of_channel(c);
        add(block, "order", std::to_string(n));
        add(block, "degree", std::to_string(static_cast<int>(c) - n * n - n));
        add(block, "normalization", "SN3D");
        return;
    }
    const Loudspeaker& speaker = loudspeakers(f.layout)[c];
    add(block, "speakerLabel", speaker.label);
    const auto place = [&](const char* coordinate, double value) {
        set(add(block, "position", fmt::format("{:.1f}", value)), "coordinate", coordinate);
    };
    place("azimuth", speaker.direction.azimuth_deg);
    place("elevation", speaker.direction.elevation_deg);
    place("distance", 1);
}

void add_channel(const AdmFacts& f, std::size_t c, pugi::xml_node into) {
    const std::string name = channel_name(f, c);
    auto channel = add_typed(f, into, "audioChannelFormat", "audioChannelFormat", channel_id(f, c), name);
    if (!f.binaural && lfe_channel(f.layout) == c)
        set(add(channel, "frequency", "120"), "typeDefinition", "lowPass");
    add_block(f, c, channel);
    auto stream = into.append_child("audioStreamFormat");
    set(stream, "audioStreamFormatID", stream_id(f, c));
    set(stream, "audioStreamFormatName", "PCM " + name);
    set(stream, "formatLabel", "0001");
    set(stream, "formatDefinition", "PCM");
    add(stream, "audioChannelFormatIDRef", channel_id(f, c));
    add(stream, "audioTrackFormatIDRef", track_format_id(f, c));
    auto track = into.append_child("audioTrackFormat");
    set(track, "audioTrackFormatID", track_format_id(f, c));
    set(track, "audioTrackFormatName", "PCM " + name);
    set(track, "formatLabel", "0001");
    set(track, "formatDefinition", "PCM");
    add(track, "audioStreamFormatIDRef", stream_id(f, c));
    auto uid = into.append_child("audioTrackUID");
    set(uid, "UID", track_uid(c));
    set(uid, "sampleRate", std::to_string(f.sample_rate));
    set(uid, "bitDepth", std::to_string(f.bits));
    add(uid, "audioTrackFormatIDRef", track_format_id(f, c));
    add(uid, "audioPackFormatIDRef", pack_id(f));
}

void add_programme(const AdmFacts& f, pugi::xml_node into) {
    auto programme = into.append_child("audioProgramme");
    set(programme, "audioProgrammeID", "APR_1001");
    set(programme, "audioProgrammeName", f.programme);
    if (f.language.size() == 3 && f.language != "und") set(programme, "audioProgrammeLanguage", f.language);
    set(programme, "start", adm_time(f, 0));
    set(programme, "end", adm_time(f, f.frames));
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
    add(content, "audioObjectIDRef", "AO_1001");
    auto object = into.append_child("audioObject");
    set(object, "audioObjectID", "AO_1001");
    set(object, "audioObjectName", f.content);
    set(object, "start", adm_time(f, 0));
    set(object, "duration", adm_time(f, f.frames));
    add(object, "audioPackFormatIDRef", pack_id(f));
    for (std::size_t c = 0; c < channels_in(f); ++c) add(object, "audioTrackUIDRef", track_uid(c));
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
    add_programme(f, format);
    auto pack = add_typed(f, format, "audioPackFormat", "audioPackFormat", pack_id(f),
                          f.binaural ? "Binaural" : name_of(f.layout));
    for (std::size_t c = 0; c < channels_in(f); ++c) add(pack, "audioChannelFormatIDRef", channel_id(f, c));
    for (std::size_t c = 0; c < channels_in(f); ++c) add_channel(f, c, format);
    std::ostringstream out;
    document.save(out, " ", pugi::format_indent, pugi::encoding_utf8);
    return out.str();
}

std::vector<char> chna_of(const AdmFacts& f) {
    std::vector<char> out;
    const std::size_t channels = channels_in(f);
    put_16(out, channels);
    put_16(out, channels);
    for (std::size_t c = 0; c < channels; ++c) {
        put_16(out, c + 1);
        put_text(out, track_uid(c), 12);
        put_text(out, track_format_id(f, c), 14);
        put_text(out, pack_id(f), 11);
        out.push_back('\0');
    }
    return out;
}

}  // namespace rivlen
