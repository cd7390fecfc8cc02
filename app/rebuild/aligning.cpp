// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/aligning.h"

#include <array>
#include <utility>

#include "app/widgets/text.h"
#include "core/base/thread_priority.h"
#include "core/mix/aligning.h"
#include "core/mix/tone_match.h"
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

void Aligning::match_tone_of_chosen() {
    const auto clips = selection_.clips();
    const Track* track = clips.empty() ? nullptr : document_.timeline().track_of_clip(clips.back());
    if (clips.size() != 2 || track == nullptr)
        return emit said(
            tr("Choose two clips: first the one whose tone is wanted, then the one that is to have it."),
            false);
    if (document_.timeline().track_of_clip(clips.front()) == track)
        return emit said(
            tr("Both clips lie on one track, whose chain is heard on both. Move one to another track."),
            false);
    if (job_ != 0) return emit said(tr("Clips are being looked at already."), false);
    const auto plan = std::make_shared<const MixPlan>(document_.session(), document_.mix_media());
    job_ = jobs_.start_for<Insert>(
        tr("Matching the tone"),
        [plan, clips](const JobControl& job) { return match_tone(*plan, clips.front(), clips.back(), job); },
        [this, id = track->id](const Result<Insert>& part) {
            job_ = 0;
            if (!part)
                return emit said(text(part.error().message), part.error().kind != ErrorKind::Cancelled);
            document_.edit_timeline(tr("Match the tone"), {}, [&](Timeline& r) {
                Strip* strip = r.strip(id);
                if (strip == nullptr) return;
                Insert equaliser = *part;
                equaliser.id = r.new_id();
                strip->chain.insert(strip->chain.begin(), equaliser);
            });
            selection_.choose_strip(id);
            emit said(tr("An equaliser at the front of the chain brings the tone near. Adjust it by ear."),
                      false);
        });
}

}  // namespace rivlen::app
