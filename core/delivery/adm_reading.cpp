// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/adm_reading.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <pugixml.hpp>

#include "core/media/decode.h"
#include "core/media/wave_chunks.h"

namespace rivlen {

namespace {

constexpr std::uint64_t kMostAxmlBytes = std::uint64_t{64} << 20, kMostChnaBytes = 1 << 20;

// hh:mm:ss.fffff, or hh:mm:ss.nnnnnSddddd with a fraction n/d of a second (BS.2076-2, clause 5.5).
std::optional<double> seconds_of(const std::string& text) {
    int hours = 0, minutes = 0, used = 0;
    if (std::sscanf(text.c_str(), "%d:%d:%n", &hours, &minutes, &used) != 2 || used == 0) return {};
    const std::string rest = text.substr(static_cast<std::size_t>(used));
    double seconds = std::strtod(rest.c_str(), nullptr);
    if (const auto slash = rest.find('S'); slash != std::string::npos) {
        const double parts = std::strtod(rest.c_str() + slash + 1, nullptr);
        const auto dot = rest.find('.');
        if (parts <= 0 || dot == std::string::npos) return {};
        seconds = std::strtod(rest.c_str(), nullptr);
        seconds = std::floor(seconds) + std::strtod(rest.c_str() + dot + 1, nullptr) / parts;
    }
    const double all = hours * 3600.0 + minutes * 60.0 + seconds;
    return std::isfinite(all) && all >= 0 ? std::optional(all) : std::nullopt;
}

struct Identified {  // elements of a model by their identifiers
    std::map<std::string, pugi::xml_node> by_id;
    [[nodiscard]] pugi::xml_node find(const std::string& id) const {
        const auto found = by_id.find(id);
        return found != by_id.end() ? found->second : pugi::xml_node();
    }
};

// audioFormatExtended, wherever it stands.
pugi::xml_node model_of(const pugi::xml_document& document) {
    return document.find_node(
        [](const pugi::xml_node& node) { return std::strcmp(node.name(), "audioFormatExtended") == 0; });
}

ObjectBlock block_of(const pugi::xml_node& node) {
    ObjectBlock out;
    out.start_seconds = seconds_of(node.attribute("rtime").value()).value_or(0);
    out.duration_seconds = seconds_of(node.attribute("duration").value()).value_or(0);
    for (const auto& position : node.children("position")) {
        const std::string coordinate = position.attribute("coordinate").value();
        const double value = position.text().as_double();
        if (coordinate == "azimuth") out.at.azimuth_deg = std::isfinite(value) ? value : 0;
        if (coordinate == "elevation") out.at.elevation_deg = std::isfinite(value) ? value : 0;
    }
    constexpr double kAllAroundDeg = 360;
    const double width = node.child("width").text().as_double();
    out.spread_percent = std::isfinite(width) ? std::clamp(width / kAllAroundDeg * 100, 0.0, 100.0) : 0;
    return out;
}

AdmTrack track_of(const pugi::xml_node& channel) {
    AdmTrack out;
    out.name = channel.attribute("audioChannelFormatName").value();
    const std::string type = channel.attribute("typeDefinition").value();
    const auto block = channel.child("audioBlockFormat");
    if (type == "DirectSpeakers") {
        out.kind = AdmTrack::Kind::Loudspeaker;
        out.speaker_label = block.child("speakerLabel").text().get();
    } else if (type == "HOA") {
        out.kind = AdmTrack::Kind::Ambisonic;
        out.order = block.child("order").text().as_int();
        out.degree = block.child("degree").text().as_int();
    } else if (type == "Binaural") {
        out.kind = AdmTrack::Kind::Ear;
    } else if (type == "Objects") {
        out.kind = AdmTrack::Kind::Source;
        for (const auto& each : channel.children("audioBlockFormat")) out.course.push_back(block_of(each));
        std::ranges::stable_sort(out.course, {}, &ObjectBlock::start_seconds);
    }
    return out;
}

}  // namespace

Result<AdmReading> parse_adm(const std::string& axml, const std::string& chna, const std::string& path) {
    const auto damaged = [&](const char* what) {
        return make_error(ErrorKind::BadInput,
                          "What \"{}\" says of its channels (audio definition model) is damaged: {}.", path,
                          what);
    };
    pugi::xml_document document;
    if (!document.load_buffer(axml.data(), std::strlen(axml.c_str()))) return damaged("it is no XML");
    const auto model = model_of(document);
    if (!model) return damaged("it has no model");
    Identified all;
    std::map<std::string, pugi::xml_node> object_of_uid;
    for (const auto& element : model.children()) {
        const std::string kind = element.name();
        all.by_id[element.attribute(kind == "audioTrackUID" ? "UID" : (kind + "ID").c_str()).value()] =
            element;
        if (kind != "audioObject") continue;
        for (const auto& uid : element.children("audioTrackUIDRef"))
            object_of_uid[uid.text().get()] = element;
    }
    const auto two = [&](std::size_t at) {
        return static_cast<std::size_t>(static_cast<unsigned char>(chna[at])) +
               256 * static_cast<std::size_t>(static_cast<unsigned char>(chna[at + 1]));
    };
    constexpr std::size_t kHead = 4, kEntry = 40;
    if (chna.size() < kHead || chna.size() < kHead + kEntry * two(2))
        return damaged("its table of tracks is cut off");
    AdmReading out;
    out.programme = model.child("audioProgramme").attribute("audioProgrammeName").value();
    for (std::size_t k = 0; k < two(2); ++k) {
        const std::size_t at = kHead + kEntry * k;
        const std::size_t track = two(at);
        if (track == 0 || track > static_cast<std::size_t>(kMaxChannels)) continue;  // 0: not in the file
        const std::string uid = chna.substr(at + 2, 12), format = chna.substr(at + 14, 14);
        pugi::xml_node channel;
        if (format.starts_with("AC_")) {
            channel = all.find(format.substr(0, 11));
        } else {
            const auto stream = all.find(all.find(format).child("audioStreamFormatIDRef").text().get());
            channel = all.find(stream.child("audioChannelFormatIDRef").text().get());
        }
        if (out.tracks.size() < track) out.tracks.resize(track);
        out.tracks[track - 1] = track_of(channel);
        const auto object = object_of_uid.find(uid);
        if (object == object_of_uid.end()) continue;
        out.tracks[track - 1].object = object->second.attribute("audioObjectName").value();
        const double begins = seconds_of(object->second.attribute("start").value()).value_or(0);
        for (auto& block : out.tracks[track - 1].course) block.start_seconds += begins;
    }
    return out;
}

Result<AdmReading> read_adm(const std::filesystem::path& path) {
    const auto axml = wave_chunk(path, "axml", kMostAxmlBytes);
    const auto chna = wave_chunk(path, "chna", kMostChnaBytes);
    if (!axml || !chna)
        return make_error(ErrorKind::NotFound, "\"{}\" does not say what its channels are.", path.string());
    return parse_adm(*axml, *chna, path.string());
}

AdmRenderer::AdmRenderer(const AdmReading& reading, Layout layout, int sample_rate)
    : reading_(reading), panner_(layout), rate_(sample_rate) {
    const auto speakers = loudspeakers(layout);
    for (std::size_t t = 0; t < reading.tracks.size(); ++t) {
        const AdmTrack& track = reading.tracks[t];
        if (track.kind == AdmTrack::Kind::Loudspeaker) {
            const auto same = std::ranges::find_if(
                speakers, [&](const Loudspeaker& s) { return track.speaker_label == s.label; });
            if (same != speakers.end()) channels_.emplace_back(t, same - speakers.begin());
        } else if (track.kind == AdmTrack::Kind::Ambisonic && std::abs(track.degree) <= track.order &&
                   track.order <= ambisonic_order(layout)) {
            channels_.emplace_back(t, track.order * track.order + track.order + track.degree);
        } else if (track.kind == AdmTrack::Kind::Source && !track.course.empty()) {
            sources_.push_back({t, 0, {}, {}});
            enter(sources_.back(), 0);
        }
    }
}

void AdmRenderer::enter(Source& source, std::size_t block) {
    const auto& course = reading_.tracks[source.track].course;
    const auto gains = [&](const ObjectBlock& at) {
        std::vector<double> out(channels_of(panner_.layout()));
        panner_.gains(at.at, at.spread_percent, out);
        return out;
    };
    source.block = block;
    source.after = gains(course[block]);
    source.before = block == 0 ? source.after : gains(course[block - 1]);
}

void AdmRenderer::add_source(Source& source, std::span<const float> sound, AudioBlock& out) {
    const auto& course = reading_.tracks[source.track].course;
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double seconds = static_cast<double>(position_ + static_cast<std::int64_t>(i)) / rate_;
        while (source.block + 1 < course.size() && seconds >= course[source.block + 1].start_seconds)
            enter(source, source.block + 1);
        const ObjectBlock& block = course[source.block];
        const double way =
            block.duration_seconds > 0
                ? std::clamp((seconds - block.start_seconds) / block.duration_seconds, 0.0, 1.0)
                : 1;
        for (std::size_t c = 0; c < out.channels(); ++c)
            out[c][i] +=
                sound[i] * static_cast<float>(source.before[c] + way * (source.after[c] - source.before[c]));
    }
}

void AdmRenderer::render(const AudioBlock& file, AudioBlock& out) {
    out = AudioBlock(rate_, channels_of(panner_.layout()), file.frames());
    for (const auto& [from, to] : channels_) {
        if (from >= file.channels()) continue;
        for (std::size_t i = 0; i < file.frames(); ++i) out[to][i] += file[from][i];
    }
    for (Source& source : sources_) {
        if (source.track < file.channels()) add_source(source, file[source.track], out);
    }
    position_ += static_cast<std::int64_t>(file.frames());
}

}  // namespace rivlen
