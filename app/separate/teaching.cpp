// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/teaching.h"

#include <algorithm>

#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/base/thread_priority.h"

namespace rivlen::app {

Teaching::Teaching(Document& document, JobList& jobs, QObject* parent)
    : QObject(parent), document_(document), jobs_(jobs) {
    connect(&document_, &Document::session_changed, this, &Teaching::changed);
    connect(&document_, &Document::material_changed, this, &Teaching::follow_material);
}

const std::vector<TeachingMark>& Teaching::marks() const {
    static const std::vector<TeachingMark> none;
    const SessionItem* item = document_.current_item();
    return item != nullptr ? item->marks : none;
}

const TaughtModel* Teaching::taught() const {
    const SessionItem* item = document_.current_item();
    if (item == nullptr) return nullptr;
    return item->taught ? &*item->taught : item->taught_parts ? &*item->taught_parts : nullptr;
}

void Teaching::follow_material() {
    const auto map = document_.model_map();
    if (map != proposed_from_) {
        proposed_from_ = map;
        if (proposing_ != 0) jobs_.cancel(proposing_);
        proposing_ = 0;
        proposals_.clear();
        const auto source = document_.source();
        if (map && source) {
            proposing_ = jobs_.start_for<std::vector<ProposedMark>>(
                tr("Looking for what sounds alone"),
                [source, map](const JobControl& job) {
                    give_way();
                    return propose_marks(*source, *map, {{}, job.cancel});
                },
                [this, map](Result<std::vector<ProposedMark>> found) {
                    if (map != proposed_from_) return;
                    proposing_ = 0;
                    if (found) proposals_ = std::move(*found);
                    emit changed();
                },
                true);
        }
    }
    emit changed();
}

void Teaching::edit_marks(const QString& label, const QString& key,
                          const std::function<void(std::vector<TeachingMark>&)>& change) {
    if (document_.current_item() == nullptr) return;
    document_.edit(label, key, [&](Session& s) {
        auto& marks = s.items[static_cast<std::size_t>(s.current)].marks;
        change(marks);
    });
}

void Teaching::mark(std::size_t sound) {
    const SessionItem* item = document_.current_item();
    const auto source = document_.source();
    if (item == nullptr || !item->loop || !source)
        return emit said(tr("Set a range first: drag over the lanes where it sounds alone."), false);
    const auto mark = TeachingMark::of(sound, item->loop->first, item->loop->last);
    if (const Status fits = may_mark(*source, mark); !fits)
        return emit said(text(fits.error().message), false);
    edit_marks(tr("Mark to teach"), {}, [&](std::vector<TeachingMark>& marks) { add_mark(marks, mark); });
}

void Teaching::remove(std::size_t mark) {
    if (mark >= marks().size()) return;
    edit_marks(tr("Remove the mark"), {}, [&](std::vector<TeachingMark>& marks) {
        marks.erase(marks.begin() + static_cast<std::ptrdiff_t>(mark));
    });
}

void Teaching::edit_mark(std::size_t mark, double by_seconds, const QString& label, MovedMark moved_mark) {
    const auto source = document_.source();
    if (mark >= marks().size() || !source) return;
    const auto by_frames = std::llround(by_seconds * source->sample_rate());
    const TeachingMark now = moved_mark(*source, marks()[mark], by_frames);
    if (now == marks()[mark]) return;
    edit_marks(label, QString("teaching mark %1").arg(mark),
               [&](std::vector<TeachingMark>& all) { all[mark] = now; });
}

void Teaching::move(std::size_t mark, double by_seconds) {
    edit_mark(mark, by_seconds, tr("Move the mark"), &rivlen::moved);
}

void Teaching::move_end(std::size_t mark, double by_seconds) {
    edit_mark(mark, by_seconds, tr("Move the end of the mark"), &with_end_moved);
}

void Teaching::go_to(const TeachingMark& mark) {
    document_.edit(tr("Loop"), "loop", [&](Session& s) {
        if (s.current < 0) return;
        auto& item = s.items[static_cast<std::size_t>(s.current)];
        item.loop = LoopRange{mark.first, mark.last};
        item.loop_on = true;
    });
}

void Teaching::take(std::size_t proposal) {
    if (proposal >= proposals_.size()) return;
    const TeachingMark mark = proposals_[proposal].mark;
    edit_marks(tr("Mark to teach"), {}, [&](std::vector<TeachingMark>& marks) { add_mark(marks, mark); });
}

void Teaching::teach(int steps) {
    const SessionItem* item = document_.current_item();
    const auto source = document_.source();
    if (item == nullptr || !source) return emit said(tr("Bring in a recording first."), false);
    if (running()) return emit said(tr("The model is being taught already."), false);
    if (item->marks.empty())
        return emit said(tr("Mark some seconds first in which one kind of sound is alone."), false);
    TeachingOrder order;
    order.marks = item->marks;
    order.steps = steps;
    order.folder = taught_folder(document_.path(), document_.work_folder());
    job_ = jobs_.start_for<TeachingOutcomes>(
        tr("Teaching %1").arg(text(item->path.filename())),
        [source, order](const JobControl& job) {
            give_way();
            return teach_recording(*source, order, job);
        },
        [this, path = item->path, session = document_.path(), marks = order.marks](
            const Result<TeachingOutcomes>& done) { take_outcome(path, session, marks, done); });
    words_ = tr("Learning from %n mark(s). Work can go on meanwhile.", nullptr,
                static_cast<int>(order.marks.size()));
    emit changed();
}

void Teaching::take_outcome(const std::filesystem::path& recording, const std::filesystem::path& session,
                            const std::vector<TeachingMark>& marks, const Result<TeachingOutcomes>& done) {
    job_ = 0;
    if (!done) {
        words_ = text(done.error().message);
        emit said(words_, done.error().kind != ErrorKind::Cancelled);
        return emit changed();
    }
    words_ = text(words_of(*done, marks));
    emit said(words_, false);
    // Somebody may have gone on to another session meanwhile.
    const auto weights_of = [](const std::optional<TeachingOutcome>& one) {
        return one ? one->weights : std::filesystem::path();
    };
    if (session == document_.path())
        document_.take_taught(recording, weights_of(done->stems), weights_of(done->parts));
    emit changed();
}

void Teaching::use_taught(bool on) {
    const TaughtModel* now = taught();
    if (now == nullptr) return emit said(tr("Nothing was taught yet."), false);
    if (now->in_use == on) return;
    document_.use_taught(on);
    emit said(on ? tr("As the taught model has it.") : tr("As the model has it untaught."), false);
}

void Teaching::forget_taught() {
    if (taught() == nullptr) return;
    document_.edit(tr("Forget what was taught"), {}, [](Session& s) {
        SessionItem& item = s.items[static_cast<std::size_t>(s.current)];
        item.taught.reset();
        item.taught_parts.reset();
    });
}

}  // namespace rivlen::app
