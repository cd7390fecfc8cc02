// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/aligning.h"

#include <array>
#include <utility>

#include "app/widgets/text.h"
#include "core/base/thread_priority.h"
#include "core/mix/aligning.h"
#include "core/project/editing.h"

namespace rivlen::app {

namespace {

// By how much each of the clips behind the first has to be moved.
using Moves = std::vector<std::pair<int, std::int64_t>>;

Result<Moves> moves_of(const MixPlan& plan, const std::vector<int>& clips, const JobControl& job) {
    give_way();
    Moves moves;
    for (std::size_t i = 1; i < clips.size(); ++i) {
        const auto by = offset_to_align(plan, clips.front(), clips[i], job);
        if (!by) return by.error();
        moves.emplace_back(clips[i], *by);
        job.report(static_cast<double>(i) / static_cast<double>(clips.size() - 1));
    }
    return moves;
}

}  // namespace

void Aligning::align_chosen() {
    const auto clips = selection_.clips();
    if (clips.size() < 2)
        return emit said(
            tr("Choose two clips or more: the first stays, the others are moved onto what they share "
               "with it."),
            false);
    if (job_ != 0) return emit said(tr("Clips are being aligned already."), false);
    const auto plan = std::make_shared<const MixPlan>(document_.session(), document_.mix_media());
    job_ = jobs_.start_for<Moves>(
        tr("Aligning clips"), [plan, clips](const JobControl& job) { return moves_of(*plan, clips, job); },
        [this, timeline = document_.timeline()](const Result<Moves>& moves) {
            job_ = 0;
            if (!moves)
                return emit said(text(moves.error().message), moves.error().kind != ErrorKind::Cancelled);
            if (!(timeline == document_.timeline()))
                return emit said(tr("The clips were changed meanwhile. Align them again."), false);
            document_.edit_timeline(tr("Align clips"), {}, [&](Timeline& r) {
                for (const auto& [clip, by] : *moves) move_clips(r, std::array{clip}, by);
            });
            emit said(tr("Aligned: %n clip(s).", nullptr, static_cast<int>(moves->size())), false);
        });
}

}  // namespace rivlen::app
