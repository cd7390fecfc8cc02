// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/session_media.h"

#include <algorithm>
#include <functional>
#include <map>

#include "core/delivery/delivery_rows.h"
#include "core/project/editing.h"
#include "core/workflow/bringing_in.h"

namespace rivlen {

namespace fs = std::filesystem;

namespace {

// Files that clips refer to, and whether a stem of them is played.
std::map<fs::path, bool> clip_files(const Timeline& timeline) {
    std::map<fs::path, bool> files;
    for (const auto& track : timeline.tracks) {
        for (const auto& clip : track.clips) {
            const bool stem = clip.clip_source != ClipSource::Whole;
            files[clip.path] = files[clip.path] || stem;
        }
    }
    return files;
}

bool sets_music_part(const SessionItem& item) {
    const auto sets = std::mem_fn(&ShapeSettings::sets_music_part);
    return sets(item.settings) || std::ranges::any_of(item.ranges, sets, &SettingsRange::settings) ||
           std::ranges::any_of(item.cards, [&](const auto& card) { return card && sets(card->settings); }) ||
           std::ranges::any_of(item.lines, [](const SettingLane& l) { return is_music_part(l.stem); });
}

}  // namespace

bool needs_music_parts(const Session& session, const fs::path& recording) {
    bool plays_music = false;
    for (const auto& track : session.timeline.tracks) {
        for (const auto& clip : track.clips) {
            if (clip.path != recording) continue;
            if (plays_music_part(clip.clip_source)) return true;
            plays_music =
                plays_music || clip.clip_source == ClipSource::Music || clip.clip_source == ClipSource::Kept;
        }
    }
    if (!plays_music) return false;
    const auto item = item_of(session, recording);
    return (item && sets_music_part(session.items[*item])) ||
           std::ranges::any_of(session.deliveries.rows, [](const HandoverRow& row) {
               return row.on && left_out_by(row.content).has_value();
           });
}

std::vector<fs::path> files_of(const Session& session, const fs::path& session_file) {
    std::vector<fs::path> files = added_media(session);
    for (const auto& item : session.items) files.push_back(item.path);
    for (const auto& cut : session.timeline.picture) files.push_back(cut.path);
    if (!session_file.empty()) files.push_back(session_file);
    return files;
}

namespace {

// How a recording is split: its channels, and what was taught, unless another model is asked for.
void take_wishes_of(const SessionItem& item, SplitWish& wish) {
    wish.channels = item.channels;
    if (item.taught && item.taught->in_use && wish.model.empty()) wish.model = item.taught->weights;
    if (item.taught_parts && item.taught_parts->in_use && wish.parts_model.empty())
        wish.parts_model = item.taught_parts->weights;
}

}  // namespace

Result<MixMediaSet> load_media(const Session& session, const SplitWish& wish, const Stage& stage) {
    MixMediaSet media;
    for (const auto& [file, split] : clip_files(session.timeline)) {
        auto source =
            Source::bring_in(file, wish.work_folder, stage("Bringing in " + file.filename().string()));
        if (!source) return source.error();
        MixMedia loaded;
        loaded.recording_rate = source->sample_rate();
        if (split) {
            SplitWish own = wish;
            if (const auto item = item_of(session, file)) take_wishes_of(session.items[*item], own);
            auto done = split_recording(*source, own, stage("Splitting " + file.filename().string()));
            if (!done) return done.error();
            auto map = std::move(done->map);
            if (needs_music_parts(session, file)) {
                auto opened =
                    open_music(*source, map, own, stage("Opening the music of " + file.filename().string()));
                if (!opened) return opened.error();
                map = std::move(*opened);
            }
            if (const auto item = item_of(session, file)) {
                auto with = corrected(map, session.items[*item].corrections, *source);
                if (!with) return with.error();
                map = std::move(*with);
            }
            loaded.map = std::make_shared<const MaskMap>(std::move(map));
        }
        auto at_rate = Source::at_rate(*source, session.timeline.sample_rate, wish.work_folder,
                                       stage("Converting " + file.filename().string()));
        if (!at_rate) return at_rate.error();
        loaded.source = std::make_shared<const Source>(std::move(*at_rate));
        media[file] = std::move(loaded);
    }
    return media;
}

void fit_to_media(Timeline& timeline, const MixMediaSet& media) {
    for (auto& track : timeline.tracks) {
        for (auto& clip : track.clips) {
            const auto found = media.find(clip.path);
            if (found == media.end() || !found->second.source) continue;
            const auto there = static_cast<std::int64_t>(found->second.source->frames()) - clip.offset;
            clip.length = std::min(clip.length, std::max<std::int64_t>(there, 0));
        }
    }
    normalise(timeline);
}

}  // namespace rivlen
