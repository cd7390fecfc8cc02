// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/clip_acts.h"

#include <algorithm>
#include <array>
#include <map>

#include "core/project/editing.h"
#include "core/workflow/placing.h"

namespace rivlen::app {

void ClipActs::nudge(int by) {
    const auto clips = selection_.clips();
    const Clip* first = clips.empty() ? nullptr : document_.timeline().clip(clips.front());
    if (first == nullptr) return emit said(tr("Choose clips first: click them."), false);
    const std::int64_t frames = nudged(document_.timeline(), first->start, nudge_unit_, by) - first->start;
    document_.edit_timeline(tr("Nudge"), "nudge", [&](Timeline& r) { move_clips(r, clips, frames); });
}

void ClipActs::to_own_timecode() {
    const auto clips = selection_.clips();
    if (clips.empty()) return emit said(tr("Choose clips first: click them."), false);
    const Timeline& now = document_.timeline();
    std::map<int, std::int64_t> starts;
    for (const int id : clips) {
        const Clip* c = now.clip(id);
        const Material* material = c != nullptr ? document_.material_of(c->path) : nullptr;
        if (material == nullptr) continue;
        if (const auto start = start_by_timecode(now, *c, material->info)) starts[id] = *start;
    }
    const auto left = static_cast<int>(clips.size() - starts.size());
    if (left > 0)
        emit said(tr("%n clip(s) stayed: no timecode in the file, or one before the session begins.", nullptr,
                     left),
                  false);
    if (starts.empty()) return;
    document_.edit_timeline(tr("To their own timecode"), {}, [&](Timeline& r) {
        for (const auto& [id, start] : starts) {
            if (const Clip* c = r.clip(id)) move_clips(r, std::array{id}, start - c->start);
        }
    });
}

void ClipActs::split_at_playhead() {
    const std::int64_t at = player_.position();
    if (selection_.video_clip() != 0)
        return document_.edit_timeline(tr("Cut the picture"), {}, [&](Timeline& r) { split_picture(r, at); });
    const auto clips = selection_.clips();
    document_.edit_timeline(tr("Cut"), {}, [&](Timeline& r) {
        clips.empty() ? split_tracks(r, {}, at) : split_clips(r, clips, at);
    });
}

void ClipActs::trim_to_playhead(bool start) {
    const std::int64_t at = player_.position();
    const auto clips = selection_.clips();
    const auto length = document_.media_length_function();
    document_.edit_timeline(start ? tr("Trim the start") : tr("Trim the end"), {}, [&](Timeline& r) {
        for (const int id : clips) {
            const Clip* c = r.clip(id);
            if (c == nullptr) continue;
            start ? trim_start(r, id, at - c->start) : trim_end(r, id, at - c->end(), length);
        }
    });
}

void ClipActs::open_music() {
    const auto clips = selection_.clips();
    const auto plays_music = [this](int id) {
        const Clip* clip = document_.timeline().clip(id);
        return clip != nullptr && clip->clip_source == ClipSource::Music;
    };
    if (std::ranges::none_of(clips, plays_music))
        return emit said(tr("Choose clips that play the music of a recording first."), false);
    std::vector<int> parts;
    document_.edit_timeline(tr("The music in its parts"), {},
                            [&](Timeline& r) { parts = open_music_clips(r, clips); });
    selection_.choose_clips(parts);
}

void ClipActs::remove(bool close_gap) {
    if (const int cut = selection_.video_clip(); cut != 0)
        return document_.edit_timeline(tr("Delete picture"), {},
                                       [&](Timeline& r) { delete_picture(r, cut, close_gap); });
    const auto clips = selection_.clips();
    if (clips.empty()) return emit said(tr("Choose clips first: click them."), false);
    document_.edit_timeline(tr("Delete clips"), {}, [&](Timeline& r) { delete_clips(r, clips, close_gap); });
}

void ClipActs::copy_behind() {
    const auto clips = selection_.clips();
    if (clips.empty()) return;
    std::vector<int> copies;
    document_.edit_timeline(tr("Copy clips"), {}, [&](Timeline& r) {
        std::int64_t end = 0;
        for (const int id : with_groups(r, clips)) end = std::max(end, r.clip(id)->end());
        copies = copy_clips(r, clips, end);
    });
    selection_.choose_clips(copies);
}

void ClipActs::mute_clips() {
    const auto clips = selection_.clips();
    document_.edit_timeline(tr("Mute clips"), {}, [&](Timeline& r) { toggle_mute(r, clips); });
}

void ClipActs::group_clips(bool together) {
    const auto clips = selection_.clips();
    document_.edit_timeline(together ? tr("Group") : tr("Ungroup"), {},
                            [&](Timeline& r) { together ? group(r, clips) : ungroup(r, clips); });
}

void ClipActs::cross_fade_to_next() {
    const auto clips = selection_.clips();
    const auto length = document_.media_length_function();
    bool done = false;
    document_.edit_timeline(tr("Cross-fade"), {},
                            [&](Timeline& r) { done = rivlen::cross_fade_to_next(r, clips, length); });
    if (!done)
        emit said(tr("A cross-fade needs a clip that touches the chosen one, and material beyond the cut."),
                  false);
}

void ClipActs::add_track() {
    int id = 0;
    document_.edit_timeline(tr("Add a track"), {}, [&](Timeline& r) {
        if (r.sample_rate == 0) r.sample_rate = 48000;
        id = rivlen::add_track(r, tr("Track %1").arg(r.tracks.size() + 1).toStdString());
    });
    selection_.choose_strip(id);
}

void ClipActs::add_bus() {
    int id = 0;
    document_.edit_timeline(tr("Add a bus"), {}, [&](Timeline& r) {
        id = rivlen::add_bus(r, tr("Bus %1").arg(r.buses.size()).toStdString());
    });
    selection_.choose_strip(id);
}

void ClipActs::remove_strip() {
    const int id = selection_.strip();
    document_.edit_timeline(tr("Remove a track or bus"), {}, [&](Timeline& r) {
        r.track(id) != nullptr ? remove_track(r, id) : remove_bus(r, id);
    });
}

void ClipActs::move_strip(int by) {
    const int id = selection_.strip();
    document_.edit_timeline(tr("Move a track"), {}, [&](Timeline& r) { move_track(r, id, by); });
}

}  // namespace rivlen::app
