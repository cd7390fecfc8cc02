// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/otio.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <nlohmann/json.hpp>

#include "core/base/markup.h"
#include "core/project/editing.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
using nlohmann::json;

json otio_time(double value, double rate) {
    return {{"OTIO_SCHEMA", "RationalTime.1"}, {"value", value}, {"rate", rate}};
}
json otio_time(std::int64_t frames, int rate) {
    return otio_time(static_cast<double>(frames), static_cast<double>(rate));
}
json otio_range(std::int64_t start, std::int64_t length, int rate) {
    return {{"OTIO_SCHEMA", "TimeRange.1"},
            {"start_time", otio_time(start, rate)},
            {"duration", otio_time(length, rate)}};
}

// RFC 3986: what is not unreserved or a slash is percent-encoded.
std::string url_path(const std::string& path) {
    std::string out;
    for (const char c : path) {
        const auto byte = static_cast<unsigned char>(c);
        const bool plain = byte < 0x80 && (std::isalnum(byte) != 0 ||
                                           std::string_view("-._~/").find(c) != std::string_view::npos);
        out += plain ? std::string(1, c) : fmt::format("%{:02X}", byte);
    }
    return out;
}

json reference_to(const std::string& url, const json& available) {
    json out = {{"OTIO_SCHEMA", "ExternalReference.1"}, {"target_url", url}};
    if (!available.is_null()) out["available_range"] = available;
    return out;
}

json otio_gap(std::int64_t length, int rate) {
    return {{"OTIO_SCHEMA", "Gap.1"}, {"name", ""}, {"source_range", otio_range(0, length, rate)}};
}

json gain_effect(double gain_db, std::span<const Breakpoint> line) {
    json points = json::array();
    for (const auto& p : line) points.push_back({p.frame, p.value});
    json own = {{"gain_db", gain_db}};
    if (!points.empty()) own["line_frames_db"] = points;
    return {{"OTIO_SCHEMA", "Effect.1"},
            {"name", "Gain"},
            {"effect_name", "Gain"},
            {"metadata", {{"rivlen", own}}}};
}

json transition(const char* name, std::int64_t before, std::int64_t behind, FadeShape shape, int rate) {
    return {{"OTIO_SCHEMA", "Transition.1"},
            {"name", name},
            {"transition_type", "SMPTE_Dissolve"},
            {"in_offset", otio_time(before, rate)},
            {"out_offset", otio_time(behind, rate)},
            {"metadata", {{"rivlen", {{"shape", kFadeKeys[static_cast<std::size_t>(shape)]}}}}}};
}

json track_head(const std::string& name, const char* kind, bool enabled) {
    return {{"OTIO_SCHEMA", "Track.1"},
            {"name", name},
            {"kind", kind},
            {"enabled", enabled},
            {"children", json::array()}};
}

json picture_track(const Timeline& r) {
    json track = track_head("Picture", "Video", true);
    std::int64_t at = 0;
    for (const auto& cut : r.picture) {
        if (cut.start > at) track["children"].push_back(otio_gap(cut.start - at, r.sample_rate));
        track["children"].push_back(
            {{"OTIO_SCHEMA", "Clip.1"},
             {"name", cut.path.stem().string()},
             {"source_range", otio_range(cut.offset, cut.length, r.sample_rate)},
             {"media_reference", reference_to("file://" + url_path(cut.path.string()), {})}});
        at = cut.end();
    }
    return track;
}

json delivered_track(const DeliveredRow& row, const Timeline& r, const fs::path& folder) {
    const double start_seconds = static_cast<double>(r.first_timecode_frame) / r.frame_rate.per_second();
    const std::int64_t start = std::llround(start_seconds * row.sample_rate);
    const json all = otio_range(start, row.frames, row.sample_rate);
    json track = track_head(row.path.stem().string(), "Audio", true);
    track["children"].push_back(
        {{"OTIO_SCHEMA", "Clip.1"},
         {"name", row.path.stem().string()},
         {"source_range", all},
         {"media_reference", reference_to(url_path(row.path.lexically_relative(folder).string()), all)},
         {"metadata", {{"rivlen", {{"content", key_of(row.asked.content)}, {"gain_db", row.gain_db}}}}}});
    return track;
}

// Tracks here are a line without overlaps: where two clips overlap, the cut lies in the middle of what they
// share.
json edited_track(const MixPlan& plan, std::size_t number, bool enabled) {
    const Timeline& r = plan.timeline();
    const Track& track = r.tracks[number];
    const auto clips = plan.clips(number);
    json out = track_head(track.name, "Audio", enabled);
    const StripLane gain{LaneTarget::Gain, 0, 0, {}};
    out["effects"].push_back(gain_effect(track.strip.gain_db, points_of(track.strip, gain)));
    out["metadata"]["rivlen"] = {{"pan_percent", track.strip.pan_percent}, {"mute", track.strip.mute}};
    auto& children = out["children"];
    std::int64_t at = 0;
    for (std::size_t k = 0; k < clips.size(); ++k) {
        const Clip& clip = clips[k].clip;
        const std::int64_t shared =
            k > 0 ? std::max<std::int64_t>(0, clips[k - 1].clip.end() - clip.start) : 0;
        const std::int64_t first = std::max(at, clip.start + shared / 2);
        const std::int64_t next_shared =
            k + 1 < clips.size() ? std::max<std::int64_t>(0, clip.end() - clips[k + 1].clip.start) : 0;
        const std::int64_t last = clip.end() - (next_shared - next_shared / 2);
        if (last <= first) continue;
        if (first > at) children.push_back(otio_gap(first - at, r.sample_rate));
        if (shared > 0) {
            children.push_back(transition("Cross-fade", first - clip.start, clips[k - 1].clip.end() - first,
                                          clip.fade_in.shape, r.sample_rate));
        } else if (clip.fade_in.frames > 0) {
            children.push_back(
                transition("Fade in", 0, clip.fade_in.frames, clip.fade_in.shape, r.sample_rate));
        }
        children.push_back(
            {{"OTIO_SCHEMA", "Clip.1"},
             {"name", clip.path.stem().string()},
             {"source_range", otio_range(clip.offset + first - clip.start, last - first, r.sample_rate)},
             {"effects", json::array({gain_effect(clip.gain_db, {})})},
             {"metadata",
              {{"rivlen",
                {{"plays", kClipSourceKeys[static_cast<std::size_t>(clip.clip_source)]},
                 {"room_tone", clip.room_tone}}}}},
             {"media_reference", reference_to("file://" + url_path(clip.path.string()), {})}});
        if (next_shared == 0 && clip.fade_out.frames > 0)
            children.push_back(
                transition("Fade out", clip.fade_out.frames, 0, clip.fade_out.shape, r.sample_rate));
        at = last;
    }
    return out;
}

bool is_sound(const DeliveredRow& row) {
    return (row.state == RowState::Done || row.state == RowState::Skipped) &&
           row.asked.container != Container::Picture && !row.asked.loop_only && row.sample_rate > 0;
}

}  // namespace

std::string otio_of(const MixPlan& plan, const std::string& name, const fs::path& folder,
                    std::span<const DeliveredRow> rows) {
    const Timeline& r = plan.timeline();
    json stack = {{"OTIO_SCHEMA", "Stack.1"}, {"name", "tracks"}, {"children", json::array()}};
    if (!r.picture.empty()) stack["children"].push_back(picture_track(r));
    bool stems = false;
    for (const auto& row : rows) {
        if (!is_sound(row)) continue;
        stems = stems || row.asked.content != Content::Mix;
        stack["children"].push_back(delivered_track(row, r, folder));
    }
    for (std::size_t t = 0; t < r.tracks.size(); ++t)
        stack["children"].push_back(edited_track(plan, t, !stems));
    for (const auto& marker : r.markers)
        stack["markers"].push_back({{"OTIO_SCHEMA", "Marker.2"},
                                    {"name", one_line(marker.name)},
                                    {"color", "GREEN"},
                                    {"marked_range", otio_range(marker.frame, 0, r.sample_rate)}});
    const json timeline = {{"OTIO_SCHEMA", "Timeline.1"},
                           {"name", name},
                           {"global_start_time", otio_time(static_cast<double>(r.first_timecode_frame),
                                                           r.frame_rate.per_second())},
                           {"tracks", stack}};
    return timeline.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

}  // namespace rivlen
