// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/room_tone_rules.h"

#include <algorithm>
#include <set>

#include "core/mix/room_tone.h"

namespace rivlen {

namespace {

template <typename Wanted>
std::vector<std::filesystem::path> unknown_of(const Session& session, const Wanted& wanted) {
    std::set<std::filesystem::path> paths;
    for (const auto& track : session.timeline.tracks) {
        for (const auto& clip : track.clips) {
            if (holds_room_tone(clip.clip_source) && wanted(track, clip)) paths.insert(clip.path);
        }
    }
    std::vector<std::filesystem::path> out;
    for (const auto& item : session.items) {
        if (item.room_tone.empty() && paths.contains(item.path)) out.push_back(item.path);
    }
    return out;
}

}  // namespace

HasRoomTone known_room_tone(const Session& session) {
    std::set<std::filesystem::path> known;
    for (const auto& item : session.items) {
        if (!item.room_tone.empty()) known.insert(item.path);
    }
    return [known = std::move(known)](const std::filesystem::path& path) { return known.contains(path); };
}

std::vector<std::filesystem::path> unknown_room_tone(const Session& session, const LoopRange& range,
                                                     std::span<const int> tracks) {
    return unknown_of(session, [&](const Track& track, const Clip& clip) {
        const bool chosen = tracks.empty() || std::ranges::find(tracks, track.id) != tracks.end();
        return chosen && clip.start < range.last && clip.end() > range.first;
    });
}

std::vector<std::filesystem::path> unknown_room_tone(const Session& session, std::span<const int> clips) {
    const auto all = with_groups(session.timeline, clips);
    return unknown_of(session, [&](const Track&, const Clip& clip) {
        return std::ranges::find(all, clip.id) != all.end();
    });
}

std::vector<std::filesystem::path> unknown_room_tone(const Session& session, int track) {
    return unknown_of(session, [track](const Track& t, const Clip&) { return t.id == track; });
}

Result<bool> mark_room_tone(SessionItem& item, int sample_rate) {
    if (!item.loop) return make_error(ErrorKind::BadInput, "Set a loop range first: drag over the lanes.");
    const double seconds = static_cast<double>(item.loop->last - item.loop->first) / sample_rate;
    if (seconds < kLeastToneSeconds) {
        return make_error(
            ErrorKind::BadInput,
            "Room tone needs {:.1f} s at least in which only the place is heard; the loop has {:.2f} s.",
            kLeastToneSeconds, seconds);
    }
    const std::vector<LoopRange> marked = {*item.loop};
    const bool was = item.room_tone == marked;
    item.room_tone = was ? std::vector<LoopRange>{} : marked;
    return !was;
}

}  // namespace rivlen
