// SPDX-License-Identifier: GPL-3.0-or-later
// The taught model of a recording, as the session has it.
#include "app/shell/document.h"
#include "core/workflow/bringing_in.h"
#include "core/workflow/splitting.h"

namespace rivlen::app {

namespace {

std::filesystem::path in_use(const std::optional<TaughtModel>& taught) {
    return taught && taught->in_use ? taught->weights : std::filesystem::path();
}

}  // namespace

std::filesystem::path Document::taught_of(const std::filesystem::path& path) const {
    const auto item = item_of(session(), path);
    return item ? in_use(session().items[*item].taught) : std::filesystem::path();
}

std::filesystem::path Document::taught_parts_of(const std::filesystem::path& path) const {
    const auto item = item_of(session(), path);
    return item ? in_use(session().items[*item].taught_parts) : std::filesystem::path();
}

void Document::take_taught(const std::filesystem::path& recording, const std::filesystem::path& weights,
                           const std::filesystem::path& parts_weights) {
    if (!item_of(session(), recording) || (weights.empty() && parts_weights.empty())) return;
    // The edit finds its map anew, and what is kept open is opened again.
    if (!parts_weights.empty()) media_.keep_open(recording);
    edit(tr("Teach"), {}, [&](Session& s) {
        SessionItem& item = s.items[*item_of(s, recording)];
        if (!weights.empty()) item.taught = TaughtModel{weights};
        if (!parts_weights.empty()) item.taught_parts = TaughtModel{parts_weights};
    });
    if (!weights.empty()) media_.split(recording, weights, playhead_);
}

void Document::use_taught(bool on) {
    const SessionItem* item = current_item();
    const auto changes = [on](const std::optional<TaughtModel>& taught) {
        return taught && taught->in_use != on;
    };
    if (item == nullptr || (!changes(item->taught) && !changes(item->taught_parts))) return;
    edit(on ? tr("Use what was taught") : tr("Do without what was taught"), {}, [&](Session& s) {
        SessionItem& now = s.items[static_cast<std::size_t>(s.current)];
        if (now.taught) now.taught->in_use = on;
        if (now.taught_parts) now.taught_parts->in_use = on;
    });
    const auto weights = taught_of(current_item()->path);
    const auto shown = model_map();
    // Its map may have been taken away to make space.
    if (!weights.empty() && (!shown || !made_with(*shown, weights)))
        media_.split(current_item()->path, weights, playhead_);
}

}  // namespace rivlen::app
