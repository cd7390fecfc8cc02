// SPDX-License-Identifier: GPL-3.0-or-later
// The first look at a track, and what is taken of it.
#include "app/rebuild/rebuild_view.h"
#include "app/shell/first_look_dialog.h"

namespace rivlen::app {

void RebuildView::start_look(int track, const std::function<void(const TrackLook&)>& done) {
    const auto& tracks = document_.timeline().tracks;
    const auto at = std::ranges::find(tracks, track, &Track::id);
    if (at == tracks.end()) return;
    auto plan = std::make_shared<const MixPlan>(document_.session(), document_.mix_media());
    jobs_.start_for<TrackLook>(
        tr("Looking at %1").arg(QString::fromStdString(at->name)),
        [plan, place = static_cast<std::size_t>(at - tracks.begin())](const JobControl& job) {
            return look_at_track(*plan, place, job);
        },
        [this, done](const Result<TrackLook>& look) {
            if (look) return done(*look);
            emit said(QString::fromStdString(look.error().message),
                      look.error().kind != ErrorKind::Cancelled);
        });
}

void RebuildView::look_at(int track) {
    start_look(track, [this, track](const TrackLook& look) {
        const Track* here = document_.timeline().track(track);
        if (here == nullptr) return;
        auto* dialog =
            new FirstLookDialog(QString::fromStdString(here->name), look, tr("Put into the chain"), this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &QDialog::accepted, this, [this, dialog, track] {
            document_.edit_timeline(tr("Take what the first look proposes"), {}, [&](Timeline& r) {
                if (Track* t = r.track(track))
                    dialog->look().put_into(t->strip.chain, dialog->taken(), [&r] { return r.new_id(); });
            });
        });
        dialog->show();
    });
}

void RebuildView::propose(int track, int part) {
    start_look(track, [this, track, part](const TrackLook& look) {
        const Track* here = document_.timeline().track(track);
        if (here == nullptr) return;
        const auto at = std::ranges::find(here->strip.chain, part, &Insert::id);
        if (at == here->strip.chain.end()) return;
        for (const auto& finding : look.look.findings) {
            if (!repairs(finding.fault, at->kind)) continue;
            emit said(QString::fromStdString(finding.sentence), false);
            if (!finding.proposal) return;
            document_.edit_timeline(tr("Propose an amount"), {}, [&](Timeline& r) {
                for (auto& p : r.track(track)->strip.chain) {
                    if (p.id == part) p.values = finding.proposal->values;
                }
            });
            return;
        }
    });
}

void RebuildView::learn_noise(int track, int part) {
    const auto& tracks = document_.timeline().tracks;
    const auto at = std::ranges::find(tracks, track, &Track::id);
    if (at == tracks.end()) return;
    const auto alone = document_.timeline().loop_on ? document_.timeline().loop : std::nullopt;
    auto plan = std::make_shared<const MixPlan>(document_.session(), document_.mix_media());
    jobs_.start_for<NoisePrint>(
        tr("Learning the noise of %1").arg(QString::fromStdString(at->name)),
        [plan, place = static_cast<std::size_t>(at - tracks.begin()), part, alone](const JobControl& job) {
            return noise_before_part(*plan, place, part, alone, job);
        },
        [this, track, part, from_loop = alone.has_value()](const Result<NoisePrint>& print) {
            if (!print)
                return emit said(QString::fromStdString(print.error().message),
                                 print.error().kind != ErrorKind::Cancelled);
            document_.edit_timeline(tr("Learn the noise"), {}, [&](Timeline& r) {
                Strip* strip = r.strip(track);
                if (Insert* here = strip != nullptr ? strip->part(part) : nullptr) put_into(*print, *here);
            });
            emit said(from_loop
                          ? tr("The noise was learned from the loop range.")
                          : tr("The noise was learned from the pauses. A loop where only the noise is heard "
                               "makes it surer."),
                      false);
        });
}

}  // namespace rivlen::app
