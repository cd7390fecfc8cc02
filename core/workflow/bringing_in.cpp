// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/bringing_in.h"

#include <algorithm>

namespace rivlen {

namespace fs = std::filesystem;

Result<BroughtIn> bring_in(const fs::path& file, const fs::path& work_folder, const JobControl& job) {
    auto info = probe(file, job.cancel);
    if (!info) return info.error();
    auto source = Source::bring_in(file, work_folder, job);
    if (!source) return source.error();
    return BroughtIn{std::move(*info), std::make_shared<const Source>(std::move(*source))};
}

fs::path session_path(const fs::path& file) {
    std::error_code error;
    return fs::absolute(file, error).lexically_normal();
}

std::optional<std::size_t> item_of(const Session& session, const fs::path& path) {
    const auto item = std::ranges::find(session.items, path, &SessionItem::path);
    if (item == session.items.end()) return {};
    return static_cast<std::size_t>(item - session.items.begin());
}

void add_recording(Session& session, const fs::path& path) {
    const auto there = item_of(session, path);
    if (!there) {
        SessionItem item;
        item.path = path;
        item.channels = ChannelGrouping::Bed;  // pairs, where it is none
        session.items.push_back(std::move(item));
    }
    session.current = static_cast<int>(there.value_or(session.items.size() - 1));
}

void relocate(Session& session, const fs::path& missing, const fs::path& found) {
    const fs::path folder = found.parent_path();
    const auto move = [&](fs::path& path) {
        std::error_code error;
        if (path == missing) {
            path = found;
        } else if (!fs::exists(path, error) && fs::exists(folder / path.filename(), error)) {
            path = folder / path.filename();
        }
    };
    for (auto& item : session.items) move(item.path);
    for (auto& track : session.timeline.tracks) {
        for (auto& clip : track.clips) move(clip.path);
    }
    for (auto& cut : session.timeline.picture) move(cut.path);
}

}  // namespace rivlen
