// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/session_media.h"

#include <set>

#include "cli/terminal.h"

namespace rivlen::cli {

Result<MixMediaSet> load_media(const Session& session, const RecordingOptions& how) {
    std::set<std::filesystem::path> files;
    std::set<std::filesystem::path> split;
    for (const auto& track : session.timeline.tracks) {
        for (const auto& clip : track.clips) {
            files.insert(clip.path);
            if (clip.clip_source != ClipSource::Whole) split.insert(clip.path);
        }
    }
    MixMediaSet media;
    for (const auto& file : files) {
        MixMedia loaded;
        std::optional<Source> source;
        if (split.contains(file)) {
            RecordingOptions options = how;
            options.file = file;
            auto recording = open_recording(options);
            if (!recording) return recording.error();
            loaded.map = std::make_shared<const MaskMap>(std::move(recording->map));
            source = std::move(recording->source);
        } else {
            TerminalJob job("Bringing in " + file.filename().string());
            auto brought = Source::bring_in(file, how.work, job.control());
            if (!brought) return brought.error();
            source = std::move(*brought);
        }
        loaded.recording_rate = source->sample_rate();
        TerminalJob job("Converting " + file.filename().string());
        auto at_rate = Source::at_rate(*source, session.timeline.sample_rate, how.work, job.control());
        if (!at_rate) return at_rate.error();
        loaded.source = std::make_shared<const Source>(std::move(*at_rate));
        media[file] = std::move(loaded);
    }
    return media;
}

}  // namespace rivlen::cli
