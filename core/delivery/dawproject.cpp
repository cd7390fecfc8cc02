// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/dawproject.h"

#include <fmt/format.h>

#include <map>
#include <pugixml.hpp>
#include <sstream>
#include <tuple>

#include "core/base/anonymous_file.h"
#include "core/base/markup.h"
#include "core/base/output_file.h"
#include "core/delivery/delivery_proof.h"
#include "core/delivery/written_sound.h"
#include "core/delivery/zip_writer.h"
#include "core/dsp/decibels.h"
#include "core/mix/engine.h"
#include "core/project/delivery_table.h"
#include "core/project/editing.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

// What one file of the archive holds: a recording, a part of it, settings; of room tone, which is made for
// its clip, the clip.
using PlayedKey = std::tuple<fs::path, ClipSource, int, int>;

struct PlayedFile {
    std::string name;  // in the archive
    std::int64_t frames = 0;
};

class DawprojectWriter {
  public:
    DawprojectWriter(const Session& session, const MixMediaSet& media, const fs::path& work,
                     const JobControl& job)
        : session_(session),
          timeline_(session.timeline),
          media_(media),
          mix_(session, media),
          work_(work),
          job_(job) {}
    Status write(const fs::path& file);

  private:
    [[nodiscard]] double seconds(std::int64_t frames) const {
        return static_cast<double>(frames) / timeline_.sample_rate;
    }
    [[nodiscard]] static std::string id_of(int id) { return fmt::format("strip{}", id); }
    // Of a clip of sound or picture: where it lies, what it is called.
    template <typename AnyClip>
    pugi::xml_node clip_entry(pugi::xml_node clips, const AnyClip& clip, std::int64_t offset) const;
    Status render(const Track& track, const Clip& clip, ZipWriter& zip);
    [[nodiscard]] PlayedKey key_of_clip(const Track& track, const Clip& clip) const {
        return {clip.path, clip.clip_source, clip.card == kTrackSettings ? track.card : clip.card,
                clip.room_tone ? clip.id : 0};
    }
    void add_strip(pugi::xml_node structure, int id, const std::string& name, const Strip& strip, int bus,
                   const char* role) const;
    void add_lanes(pugi::xml_node lanes, std::size_t track) const;
    void add_clip(pugi::xml_node clips, const Track& track, const Clip& clip) const;
    void add_line(pugi::xml_node lanes, int id, const Strip& strip, LaneTarget target) const;
    void add_picture(pugi::xml_node lanes) const;
    void add_markers(pugi::xml_node arrangement) const;
    [[nodiscard]] std::string project() const;

    const Session& session_;
    const Timeline& timeline_;
    const MixMediaSet& media_;
    MixPlan mix_;
    const fs::path& work_;
    const JobControl& job_;
    std::map<PlayedKey, PlayedFile> files_;
};

void put(pugi::xml_node node, const char* name, const std::string& value) {
    node.append_attribute(name).set_value(value.c_str());
}
void put(pugi::xml_node node, const char* name, double value) {
    put(node, name, fmt::format("{:.9g}", value));
}

std::string text_of(const pugi::xml_document& document) {
    std::ostringstream out;
    document.save(out, "  ", pugi::format_default, pugi::encoding_utf8);
    return out.str();
}

// Pan from left to right as 0 to 1.
double unit_pan(double percent) {
    return (percent + 100) / 200;
}

template <typename AnyClip>
pugi::xml_node DawprojectWriter::clip_entry(pugi::xml_node clips, const AnyClip& clip,
                                            std::int64_t offset) const {
    auto entry = clips.append_child("Clip");
    put(entry, "time", seconds(clip.start));
    put(entry, "duration", seconds(clip.length));
    put(entry, "playStart", seconds(offset));
    put(entry, "contentTimeUnit", "seconds");
    put(entry, "name", one_line(clip.path.stem().string()));
    return entry;
}

// The recording as the clip plays it, by itself and untouched by strips.
Status DawprojectWriter::render(const Track& track, const Clip& clip, ZipWriter& zip) {
    const PlayedKey key = key_of_clip(track, clip);
    const auto found = media_.find(clip.path);
    if (files_.contains(key) || found == media_.end() || !found->second.source) return {};
    Session alone = session_;
    alone.timeline.tracks = {Track{}};
    alone.timeline.buses.resize(1);
    alone.timeline.buses.front().strip = {};
    alone.timeline.edge_fade_ms = alone.timeline.joint_fade_ms = 0;
    Track& only = alone.timeline.tracks.front();
    only.id = track.id;
    only.bus = alone.timeline.main_bus();
    alone.timeline.buses.front().layout = Layout::Stereo;
    Clip played = clip;
    played.start = 0;
    played.card = std::get<2>(key);
    played.gain_db = 0;
    played.mute = false;
    played.fade_in = played.fade_out = {};
    if (!clip.room_tone) {
        played.offset = 0;
        played.length = static_cast<std::int64_t>(found->second.source->frames());
    }
    only.clips = {played};
    auto sound = ScratchSound::create(work_, timeline_.sample_rate, static_cast<int>(kStereoChannels));
    if (!sound) return sound.error();
    const auto plan = std::make_shared<const MixPlan>(alone, media_);
    const JobControl quiet{{}, job_.cancel};
    Status status = render_mix(plan, 0, played.length, quiet,
                               [&](std::int64_t, auto block) { return sound->append(block); });
    if (!status) return status;
    const fs::path wav = partial_path(work_ / "played.wav");
    status = write_sound(*sound, Container::Wav, Depth::Float32, {}, wav, true, quiet);
    const std::string name =
        fmt::format("audio/{} {} {}.wav", files_.size() + 1, file_part(clip.path.stem().string()),
                    kClipSourceKeys[static_cast<std::size_t>(clip.clip_source)]);
    if (status) status = zip.add_file(name, wav);
    std::error_code ignored;
    fs::remove(wav, ignored);
    files_[key] = {name, played.length};
    return status;
}

void DawprojectWriter::add_strip(pugi::xml_node structure, int id, const std::string& name,
                                 const Strip& strip, int bus, const char* role) const {
    auto track = structure.append_child("Track");
    const bool plays = std::string_view(role) == "regular";
    put(track, "contentType", plays ? "audio" : "");
    put(track, "loaded", "true");
    put(track, "id", id_of(id));
    put(track, "name", name);
    auto channel = track.append_child("Channel");
    put(channel, "audioChannels", "2");
    put(channel, "role", role);
    put(channel, "solo", strip.solo ? "true" : "false");
    put(channel, "id", id_of(id) + "channel");
    if (bus != 0) put(channel, "destination", id_of(bus) + "channel");
    auto mute = channel.append_child("Mute");
    put(mute, "value", strip.mute ? "true" : "false");
    put(mute, "id", id_of(id) + "mute");
    auto pan = channel.append_child("Pan");
    put(pan, "max", 1.0);
    put(pan, "min", 0.0);
    put(pan, "unit", "normalized");
    put(pan, "value", unit_pan(strip.pan_percent));
    put(pan, "id", id_of(id) + "pan");
    if (!strip.sends.empty()) {
        auto sends = channel.append_child("Sends");
        for (const auto& send : strip.sends) {
            auto one = sends.append_child("Send");
            put(one, "destination", id_of(send.bus) + "channel");
            put(one, "type", send.before_fader ? "pre" : "post");
            auto level = one.append_child("Volume");
            put(level, "unit", "linear");
            put(level, "value", send.on ? amplitude_of_db(send.level_db) : 0);
        }
    }
    auto volume = channel.append_child("Volume");
    put(volume, "max", amplitude_of_db(kHighestGainDb));
    put(volume, "min", 0.0);
    put(volume, "unit", "linear");
    put(volume, "value", amplitude_of_db(strip.gain_db));
    put(volume, "id", id_of(id) + "volume");
}

void DawprojectWriter::add_line(pugi::xml_node lanes, int id, const Strip& strip, LaneTarget target) const {
    const auto points = points_of(strip, StripLane{target, 0, 0, {}});
    if (points.empty()) return;
    const bool gain = target == LaneTarget::Gain;
    auto line = lanes.append_child("Points");
    put(line, "unit", gain ? "linear" : "normalized");
    put(line, "id", id_of(id) + (gain ? "gainline" : "panline"));
    put(line.append_child("Target"), "parameter", id_of(id) + (gain ? "volume" : "pan"));
    for (const auto& p : points) {
        auto point = line.append_child("RealPoint");
        put(point, "time", seconds(p.frame));
        put(point, "value", gain ? amplitude_of_db(p.value) : unit_pan(p.value));
        put(point, "interpolation", "linear");
    }
}

void DawprojectWriter::add_clip(pugi::xml_node clips, const Track& track, const Clip& clip) const {
    const auto file = files_.find(key_of_clip(track, clip));
    if (file == files_.end() || clip.mute) return;
    auto entry = clip_entry(clips, clip, clip.room_tone ? 0 : clip.offset);
    put(entry, "fadeTimeUnit", "seconds");
    put(entry, "fadeInTime", seconds(clip.fade_in.frames));
    put(entry, "fadeOutTime", seconds(clip.fade_out.frames));
    auto content = entry;
    if (clip.gain_db != 0) {  // a line of one value beside the sound
        content = entry.append_child("Lanes");
        put(content, "id", fmt::format("clip{}lanes", clip.id));
        auto line = content.append_child("Points");
        put(line, "unit", "linear");
        put(line, "id", fmt::format("clip{}gain", clip.id));
        put(line.append_child("Target"), "expression", "gain");
        auto point = line.append_child("RealPoint");
        put(point, "time", 0.0);
        put(point, "value", amplitude_of_db(clip.gain_db));
    }
    auto audio = content.append_child("Audio");
    put(audio, "channels", "2");
    put(audio, "duration", seconds(file->second.frames));
    put(audio, "sampleRate", std::to_string(timeline_.sample_rate));
    put(audio, "id", fmt::format("clip{}audio", clip.id));
    put(audio.append_child("File"), "path", file->second.name);
}

void DawprojectWriter::add_lanes(pugi::xml_node lanes, std::size_t number) const {
    const Track& track = timeline_.tracks[number];
    auto own = lanes.append_child("Lanes");
    put(own, "track", id_of(track.id));
    put(own, "id", id_of(track.id) + "lanes");
    auto clips = own.append_child("Clips");
    put(clips, "id", id_of(track.id) + "clips");
    for (const auto& played : mix_.clips(number)) add_clip(clips, track, played.clip);
    add_line(own, track.id, track.strip, LaneTarget::Gain);
    add_line(own, track.id, track.strip, LaneTarget::Pan);
}

void DawprojectWriter::add_picture(pugi::xml_node lanes) const {
    if (timeline_.picture.empty()) return;
    auto own = lanes.append_child("Lanes");
    put(own, "track", "picture");
    put(own, "id", "picturelanes");
    auto clips = own.append_child("Clips");
    put(clips, "id", "pictureclips");
    for (const auto& cut : timeline_.picture) {
        auto video = clip_entry(clips, cut, cut.offset).append_child("Video");
        put(video, "channels", "2");
        put(video, "duration", seconds(cut.offset + cut.length));
        put(video, "sampleRate", std::to_string(timeline_.sample_rate));
        put(video, "id", fmt::format("video{}", cut.id));
        auto file = video.append_child("File");
        put(file, "path", cut.path.string());
        put(file, "external", "true");
    }
}

void DawprojectWriter::add_markers(pugi::xml_node arrangement) const {
    if (timeline_.markers.empty()) return;
    auto markers = arrangement.append_child("Markers");
    put(markers, "id", "markers");
    for (const auto& marker : timeline_.markers) {
        auto one = markers.append_child("Marker");
        put(one, "time", seconds(marker.frame));
        put(one, "name", one_line(marker.name));
    }
}

std::string DawprojectWriter::project() const {
    pugi::xml_document document;
    auto root = document.append_child("Project");
    put(root, "version", "1.0");
    auto application = root.append_child("Application");
    put(application, "name", "Rivlen");
    put(application, "version", "1");
    auto structure = root.append_child("Structure");
    if (!timeline_.picture.empty()) {
        auto track = structure.append_child("Track");
        put(track, "contentType", "video");
        put(track, "loaded", "true");
        put(track, "id", "picture");
        put(track, "name", "Picture");
    }
    for (const auto& track : timeline_.tracks)
        add_strip(structure, track.id, track.name, track.strip, track.bus, "regular");
    for (const auto& bus : timeline_.buses) {
        const bool main = bus.id == timeline_.main_bus();
        const int to = bus.bus != 0 ? bus.bus : timeline_.main_bus();
        add_strip(structure, bus.id, bus.name, bus.strip, main ? 0 : to, main ? "master" : "submix");
    }
    auto arrangement = root.append_child("Arrangement");
    put(arrangement, "id", "arrangement");
    auto lanes = arrangement.append_child("Lanes");
    put(lanes, "timeUnit", "seconds");
    put(lanes, "id", "lanes");
    add_picture(lanes);
    for (std::size_t t = 0; t < timeline_.tracks.size(); ++t) add_lanes(lanes, t);
    for (const auto& bus : timeline_.buses) {
        add_line(lanes, bus.id, bus.strip, LaneTarget::Gain);
        add_line(lanes, bus.id, bus.strip, LaneTarget::Pan);
    }
    add_markers(arrangement);
    return text_of(document);
}

Status DawprojectWriter::write(const fs::path& file) {
    auto out = AnonymousFile::create(file.parent_path());
    if (!out) return out.error();
    auto zip = ZipWriter::create(out->fd(), file);
    if (!zip) return zip.error();
    for (std::size_t t = 0; t < timeline_.tracks.size(); ++t) {
        for (const auto& played : mix_.clips(t)) {
            if (auto status = render(timeline_.tracks[t], played.clip, *zip); !status) return status;
        }
    }
    pugi::xml_document about;
    auto title = about.append_child("MetaData").append_child("Title");
    title.text().set(file.stem().string().c_str());
    if (auto status = zip->add_text("metadata.xml", text_of(about)); !status) return status;
    if (auto status = zip->add_text("project.xml", project()); !status) return status;
    if (auto status = zip->finish(); !status) return status;
    if (file_checksum(file) == file_checksum(out->path())) return {};  // it is there already
    if (auto status = set_aside(file); !status) return status;
    return out->publish(file, false);
}

}  // namespace

Status write_dawproject(const Session& session, const MixMediaSet& media, const fs::path& file,
                        const fs::path& work, const JobControl& job) {
    return DawprojectWriter(session, media, work, job).write(file);
}

}  // namespace rivlen
