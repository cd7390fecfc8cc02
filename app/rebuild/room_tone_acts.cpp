// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/room_tone_acts.h"

#include <algorithm>
#include <array>

#include "app/widgets/text.h"
#include "core/assessment/room_tone_search.h"
#include "core/base/thread_priority.h"
#include "core/workflow/room_tone_rules.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

struct Look {
    fs::path path;
    std::shared_ptr<const Source> source;
    std::shared_ptr<const MaskMap> map;
};
struct Found {
    fs::path path;
    std::vector<LoopRange> stretches;
};

Result<std::vector<Found>> look_for_room_tone(const std::vector<Look>& looks, const JobControl& job) {
    give_way();
    std::vector<Found> found;
    for (const auto& look : looks) {
        auto stretches = find_room_tone(*look.source, look.map.get(), {{}, job.cancel});
        if (!stretches) return stretches.error();
        found.push_back({look.path, std::move(*stretches)});
        job.report(static_cast<double>(found.size()) / static_cast<double>(looks.size()));
    }
    return found;
}

}  // namespace

void RoomToneActs::mute_loop_range() {
    const auto loop = document_.timeline().loop;
    if (!loop) return emit said(tr("Set a loop range first: drag over the ruler."), false);
    const std::array<int, 1> track = {selection_.strip()};
    with_room_tone(unknown_room_tone(document_.session(), *loop, track), tr("Mute a range"),
                   [loop = *loop, track](Timeline& r, const HasRoomTone& known) {
                       mute_ranges(r, std::array{loop}, track, known);
                   });
}

void RoomToneActs::lay_in_loop_range() {
    const auto loop = document_.timeline().loop;
    if (!loop) return emit said(tr("Set a loop range first: drag over the ruler."), false);
    const int track = selection_.strip();
    with_room_tone(unknown_room_tone(document_.session(), track), tr("Lay room tone"),
                   [this, loop = *loop, track](Timeline& r, const HasRoomTone& known) {
                       const auto made = lay_room_tone(r, track, loop, known);
                       if (made.empty())
                           emit said(
                               tr("Nothing to lay: the track has no gap in the loop range, or plays nothing "
                                  "whose room tone is known."),
                               false);
                   });
}

void RoomToneActs::toggle() {
    const auto clips = selection_.clips();
    if (clips.empty()) return emit said(tr("Choose clips first: click them."), false);
    with_room_tone(unknown_room_tone(document_.session(), clips), tr("Room tone"),
                   [clips](Timeline& r, const HasRoomTone&) { toggle_room_tone(r, clips); });
}

void RoomToneActs::with_room_tone(const std::vector<fs::path>& unknown, const QString& label, Edit edit) {
    if (job_ != 0) return emit said(tr("Room tone is being looked for already."), false);
    std::vector<Look> looks;
    for (const auto& path : unknown) {
        const Material* material = document_.material_of(path);
        if (material != nullptr && material->source)
            looks.push_back({path, material->source, material->model_map});
    }
    const auto apply = [this, label, edit = std::move(edit)](const std::vector<Found>& found) {
        document_.edit(label, {}, [&](Session& s) {
            for (auto& item : s.items) {
                const auto here = std::ranges::find(found, item.path, &Found::path);
                if (here != found.end()) item.room_tone = here->stretches;
            }
            edit(s.timeline, known_room_tone(s));
        });
        const auto none = std::ranges::find_if(found, [](const Found& f) { return f.stretches.empty(); });
        if (none != found.end())
            emit said(
                tr("\"%1\" has no pause to take room tone from. Loop a place where only the room is heard "
                   "in the Separate view, and mark it there (Alt+5).")
                    .arg(text(none->path.filename())),
                false);
    };
    if (looks.empty()) return apply({});
    job_ = jobs_.start_for<std::vector<Found>>(
        tr("Looking for room tone"),
        [looks](const JobControl& job) { return look_for_room_tone(looks, job); },
        [this, apply, session = document_.path()](const Result<std::vector<Found>>& found) {
            job_ = 0;
            if (!found)
                return emit said(text(found.error().message), found.error().kind != ErrorKind::Cancelled);
            if (session == document_.path()) apply(*found);
        });
}

}  // namespace rivlen::app
