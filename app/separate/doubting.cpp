// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/doubting.h"

#include "app/widgets/text.h"
#include "core/base/thread_priority.h"
#include "core/workflow/splitting.h"

namespace rivlen::app {

Doubting::Doubting(Document& document, JobList& jobs, QObject* parent)
    : QObject(parent), document_(document), jobs_(jobs) {
    connect(&document_, &Document::material_changed, this, &Doubting::follow);
}

void Doubting::follow() {
    const auto map = document_.model_map();
    if (map == map_) return;
    map_ = map;
    if (job_ != 0) jobs_.cancel(job_);
    job_ = 0;
    found_ = {};
    emit changed();
    const auto source = document_.source();
    const SessionItem* item = document_.current_item();
    if (!map || !source || item == nullptr) return;
    job_ = jobs_.start_for<Found>(
        tr("Looking for doubts"),
        [source, map, channels = item->channels,
         work = document_.work_folder()](const JobControl& job) -> Result<Found> {
            give_way();
            auto other = second_opinion(*source, *map, channels, work, {{}, job.cancel});
            if (!other) return other.error();
            auto line = measure_doubt(*source, *map, *other, job);
            if (!line) return line.error();
            auto places = doubted_places(*source, *map, *line, {{}, job.cancel});
            if (!places) return places.error();
            return Found{std::move(*line), std::move(*places)};
        },
        [this, map](Result<Found> found) {
            if (map != map_) return;
            job_ = 0;
            if (!found) {
                if (found.error().kind != ErrorKind::Cancelled) emit said(text(found.error().message), true);
                return;
            }
            found_ = std::move(*found);
            if (!found_.places.empty()) emit said(text(found_.places.front().sentence), false);
            emit changed();
        });
}

}  // namespace rivlen::app
