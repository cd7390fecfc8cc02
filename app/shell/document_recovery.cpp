// SPDX-License-Identifier: GPL-3.0-or-later
// What an earlier run left, and what this one keeps for the next.
#include <algorithm>
#include <iterator>

#include "app/shell/document.h"
#include "app/widgets/text.h"
#include "core/workflow/takes.h"

namespace rivlen::app {

namespace fs = std::filesystem;

void Document::keep_for_recovery() {
    if (const Status kept = recovery_.keep(session()); !kept) emit said(text(kept.error().message), true);
}

void Document::keep_cut_off_takes() {
    std::vector<fs::path> kept;
    for (const auto& folder : {takes_folder(path_, work_folder_), takes_folder({}, work_folder_)})
        std::ranges::move(rivlen::keep_cut_off_takes(folder), std::back_inserter(kept));
    for (const auto& take : kept)
        emit said(tr("Recording was cut off before; what there was of it is kept as \"%1\".").arg(text(take)),
                  true);
}

bool Document::recover() {
    auto left = recovery_.take_over();
    if (!left) {
        emit said(text(left.error().message), true);
        return false;
    }
    if (!*left) return false;
    path_.clear();
    const bool read = (*left)->read_media;
    history_.begin(std::move((*left)->session), false);
    media_.set_session_rate(timeline().sample_rate);
    if (read) {
        load_media();
    } else {
        std::vector<fs::path> files = added_media(session());
        for (const auto& item : session().items) files.push_back(item.path);
        media_.leave_alone(files);
    }
    emit session_changed();
    emit material_changed();
    emit said(read ? tr("Rivlen did not end properly last time. The session is as it was seconds before; "
                        "save it to keep it.")
                   : tr("Rivlen ended while it read this session's recordings, so they are left alone. Save "
                        "the session, then read them one by one: Recording, Read what was left alone."),
              !read);
    return true;
}

void Document::read_anyway(const fs::path& path) {
    keep_for_recovery();
    recovery_.reading_media();
    media_.read_anyway(path);
}

}  // namespace rivlen::app
