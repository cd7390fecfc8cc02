// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/placing.h"

#include <cmath>

#include "core/project/editing.h"

namespace rivlen {

namespace {

// Adopts the recording's rate and picture where the timeline has none yet.
Placement placement_of(Timeline& timeline, const PlacedRecording& recording) {
    adopt_recording(timeline, recording.sample_rate, recording.picture);
    Placement placement;
    placement.path = recording.path;
    placement.at = recording.at;
    placement.length =
        std::llround(static_cast<double>(recording.frames) * timeline.sample_rate / recording.sample_rate);
    return placement;
}

}  // namespace

PlacedRecording placed_recording(const std::filesystem::path& path, const Source& source,
                                 const MediaInfo& info, std::int64_t at) {
    return {path, static_cast<std::int64_t>(source.frames()), source.sample_rate(), info.picture, at, 0};
}

void place_recording_stems(Timeline& timeline, const PlacedRecording& recording, bool named) {
    const bool first = timeline.tracks.empty();
    Placement placement = placement_of(timeline, recording);
    placement.picture = recording.picture.has_value();
    if (named && !first) placement.name = recording.path.stem().string();
    place_stems(timeline, placement);
}

void place_recording(Timeline& timeline, const PlacedRecording& recording, int track,
                     const std::vector<Insert>& chain) {
    const Placement placement = placement_of(timeline, recording);
    Clip& clip = *timeline.clip(place_clip(timeline, placement, ClipSource::Whole, track));
    if (recording.skip > 0 && recording.skip < clip.length) {
        clip.offset = recording.skip;
        clip.length -= recording.skip;
    }
    if (track != 0 || chain.empty()) return;
    auto& own = timeline.tracks.back().strip.chain;
    own = chain;
    for (auto& insert : own) insert.id = timeline.new_id();
}

std::optional<std::int64_t> start_by_timecode(const Timeline& timeline, const Clip& clip,
                                              const MediaInfo& info) {
    std::optional<double> begins_seconds = info.time_reference_seconds;
    if (info.picture && info.picture->frame_rate_num > 0) {
        const FrameRate rate{info.picture->frame_rate_num, info.picture->frame_rate_den};
        if (const auto frame = parse_timecode(info.picture->timecode, rate))
            begins_seconds = static_cast<double>(*frame) / rate.per_second();
    }
    if (!begins_seconds || timeline.sample_rate <= 0) return {};
    const double line_begins =
        static_cast<double>(timeline.first_timecode_frame) / timeline.frame_rate.per_second();
    const std::int64_t start =
        std::llround((*begins_seconds - line_begins) * timeline.sample_rate) + clip.offset;
    return start >= 0 ? std::optional(start) : std::nullopt;
}

int track_for_file(const Timeline& timeline, int chosen) {
    const Track* track = timeline.track(chosen);
    if (track == nullptr) return 0;
    const bool fits = track->clips.empty() || track->clips.front().clip_source == ClipSource::Whole;
    return fits ? track->id : 0;
}

Session session_of_recording(const PlacedRecording& recording, const std::string& hash) {
    Session session;
    SessionItem item;
    item.path = recording.path;
    item.hash = hash;
    session.items.push_back(std::move(item));
    session.current = 0;
    place_recording_stems(session.timeline, recording);
    return session;
}

}  // namespace rivlen
