// SPDX-License-Identifier: GPL-3.0-or-later
// The taught model of a recording, as the session has it.
#include "app/shell/document.h"
#include "core/workflow/bringing_in.h"
#include "core/workflow/splitting.h"

namespace rivlen::app {

std::filesystem::path Document::taught_of(const std::filesystem::path& path) const {
    const auto item = item_of(session(), path);
    if (!item) return {};
    const auto& taught = session().items[*item].taught;
    return taught && taught->in_use ? taught->weights : std::filesystem::path();
}

void Document::take_taught(const std::filesystem::path& recording, const std::filesystem::path& weights) {
    if (!item_of(session(), recording)) return;
    edit(tr("Teach"), {}, [&](Session& s) { s.items[*item_of(s, recording)].taught = TaughtModel{weights}; });
    media_.split(recording, weights, playhead_);
}

void Document::use_taught(bool on) {
    const SessionItem* item = current_item();
    if (item == nullptr || !item->taught || item->taught->in_use == on) return;
    edit(on ? tr("Use what was taught") : tr("Do without what was taught"), {},
         [&](Session& s) { s.items[static_cast<std::size_t>(s.current)].taught->in_use = on; });
    const auto weights = current_item()->taught->weights;
    const auto shown = model_map();
    // Its map may have been taken away to make space.
    if (on && (!shown || !made_with(*shown, weights))) media_.split(current_item()->path, weights, playhead_);
}

}  // namespace rivlen::app
