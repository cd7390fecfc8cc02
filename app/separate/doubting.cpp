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
    // A map that opened since then has the stems that it had: copies share the file.
    const bool same_stems = map && map_ && map->codes(0).data() == map_->codes(0).data();
    map_ = map;
    if (parts_job_ != 0) jobs_.cancel(parts_job_);
    parts_job_ = 0;
    parts_ = {};
    if (!same_stems) look_at_stems();
    emit changed();
    look_at_parts();
}

void Doubting::look_at_stems() {
    if (job_ != 0) jobs_.cancel(job_);
    job_ = 0;
    found_ = {};
    const auto source = document_.source();
    const SessionItem* item = document_.current_item();
    if (!map_ || !source || item == nullptr) return;
    const int serial = ++serial_;
    job_ = jobs_.start_for<Found>(
        tr("Looking for doubts"),
        [source, map = map_, channels = item->channels,
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
        [this, serial](Result<Found> found) {
            if (serial != serial_) return;
            job_ = 0;
            if (!found) return tell(found.error());
            found_ = std::move(*found);
            if (!found_.places.empty()) emit said(text(found_.places.front().sentence), false);
            emit changed();
        });
}

void Doubting::look_at_parts() {
    const auto source = document_.source();
    if (!map_ || !map_->opens_music() || !source) return;
    parts_job_ = jobs_.start_for<DoubtLine>(
        tr("Looking for doubts in the music"),
        [source, map = map_](const JobControl& job) {
            give_way();
            return measure_parts_doubt(*source, *map, job);
        },
        [this, map = map_](Result<DoubtLine> line) {
            if (map != map_) return;
            parts_job_ = 0;
            if (!line) return tell(line.error());
            parts_ = std::move(*line);
            emit changed();
        });
}

void Doubting::tell(const Error& error) {
    if (error.kind != ErrorKind::Cancelled) emit said(text(error.message), true);
}

}  // namespace rivlen::app
