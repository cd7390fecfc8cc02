// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/media_pool.h"

#include <QPointer>
#include <algorithm>
#include <utility>

#include "app/widgets/text.h"
#include "core/separation/shaper.h"
#include "core/separation/sum_check.h"
#include "core/workflow/bringing_in.h"
#include "core/workflow/splitting.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {
constexpr std::size_t kFewFills = 1;  // that are made ready at once
constexpr int kSumRestMs = 1500;
}  // namespace

MediaPool::MediaPool(JobList& jobs, fs::path work_folder, Wishes wishes, QObject* parent)
    : QObject(parent), jobs_(jobs), work_folder_(std::move(work_folder)), wishes_(std::move(wishes)) {
    sum_timer_.setSingleShot(true);
    sum_timer_.setInterval(kSumRestMs);
    connect(&sum_timer_, &QTimer::timeout, this, [this] {
        for (const auto& path : std::exchange(sums_due_, {})) measure_sum(path);
    });
}

const Material* MediaPool::find(const fs::path& path) const {
    const auto found = materials_.find(path);
    return found != materials_.end() ? &found->second : nullptr;
}

MixMediaSet MediaPool::at_session_rate() const {
    MixMediaSet out;
    for (const auto& [path, material] : materials_) {
        if (!material.at_session_rate) continue;
        out[path] = {material.at_session_rate, material.map, material.source->sample_rate()};
    }
    return out;
}

bool MediaPool::reading() const {
    return std::ranges::any_of(materials_, [](const auto& entry) { return entry.second.loading; });
}

void MediaPool::load(const fs::path& path) {
    if (materials_.contains(path)) return;
    Material& material = materials_[path];
    std::error_code error;
    if (!fs::exists(path, error)) {
        material.trouble = tr("The recording is missing.");
        emit missing(text(path));
        return;
    }
    material.loading = true;
    jobs_.start_for<BroughtIn>(
        tr("Bringing in %1").arg(text(path.filename())),
        [path, folder = work_folder_](const JobControl& job) { return bring_in(path, folder, job); },
        [this, path](const Result<BroughtIn>& brought) {
            Material& here = materials_[path];
            here.loading = false;
            if (!brought) {
                here.trouble = text(brought.error().message);
                emit said(here.trouble, true);
            } else {
                here.info = brought->info;
                here.source = brought->source;
                for (const auto& warning : here.source->warnings())
                    emit said(text(path.filename()) + ": " + text(warning), true);
                find_map(path);
                convert(path);
                emit read(text(path));
            }
            emit changed();
        });
}

void MediaPool::leave_alone(const std::vector<fs::path>& paths) {
    for (const auto& path : paths) {
        Material& material = materials_[path];
        material = {};
        material.left_alone = true;
        material.trouble = tr("Left alone: Rivlen ended while it read the recordings of this session.");
    }
}

std::vector<fs::path> MediaPool::left_alone() const {
    std::vector<fs::path> paths;
    for (const auto& [path, material] : materials_) {
        if (material.left_alone) paths.push_back(path);
    }
    return paths;
}

void MediaPool::read_anyway(const fs::path& path) {
    materials_.erase(path);
    load(path);
    emit changed();
}

void MediaPool::set_session_rate(int rate) {
    session_rate_ = rate;
    for (const auto& [path, material] : materials_) convert(path);
}

void MediaPool::convert(const fs::path& path) {
    const int rate = session_rate_;
    Material& material = materials_[path];
    if (rate == 0) return;
    if (material.at_session_rate && material.at_session_rate->sample_rate() != rate)
        material.at_session_rate.reset();
    if (!material.source || material.at_session_rate || material.converting) return;
    if (material.source->sample_rate() == rate) {
        material.at_session_rate = material.source;
        return;
    }
    material.converting = true;
    jobs_.start_for<Source>(
        tr("Converting %1 to %2 Hz").arg(text(path.filename())).arg(rate),
        [source = material.source, rate, folder = work_folder_](const JobControl& job) {
            return Source::at_rate(*source, rate, folder, job);
        },
        [this, path, rate](Result<Source> converted) {
            Material& here = materials_[path];
            here.converting = false;
            if (!converted) {
                say(converted.error());
            } else if (rate == session_rate_) {
                here.at_session_rate = std::make_shared<const Source>(std::move(*converted));
                emit ready_to_mix(text(path));
            } else {
                convert(path);  // the session's rate has changed meanwhile
            }
            emit changed();
        });
}

void MediaPool::find_map_again(const fs::path& path) {
    const auto found = materials_.find(path);
    if (found == materials_.end() || !found->second.source) return;
    found->second.map.reset();
    found->second.model_map.reset();
    not_opened_.erase(path);
    find_map(path);
}

void MediaPool::find_map(const fs::path& path) {
    Material& material = materials_[path];
    const fs::path taught = taught_there(path, wishes_.taught(path));
    auto map = best_map(*material.source, wishes_.channels(path), work_folder_, taught);
    if (!map) return;
    set_map(path, std::move(*map));
}

fs::path MediaPool::taught_there(const fs::path& path, const fs::path& taught) {
    std::error_code error;
    if (taught.empty() || fs::exists(taught, error)) return taught;
    emit said(tr("What was taught from %1 is not there any more (%2); it is shown as the model has it "
                 "untaught.")
                  .arg(text(path.filename()), text(taught)),
              true);
    return {};
}

void MediaPool::set_map(const fs::path& path, MaskMap map) {
    Material& material = materials_[path];
    auto opened =
        opened_before(*material.source, map, work_folder_, taught_there(path, wishes_.taught_parts(path)));
    const bool known = opened.has_value();
    if (known) kept_open_.insert(path);
    take_model_map(path, known ? std::move(*opened) : std::move(map));
    if (!known && is_to_open(path)) open_music(path, {});
}

void MediaPool::take_model_map(const fs::path& path, MaskMap map) {
    Material& material = materials_[path];
    material.model_map = std::make_shared<const MaskMap>(std::move(map));
    material.map = material.model_map;
    material.corrections.reset();
    correct(path);
    measure_sum(path);
}

void MediaPool::open_what_is_needed() {
    for (const auto& [path, material] : materials_) {
        if (!material.model_map || material.model_map->opens_music() || not_opened_.contains(path)) continue;
        if (is_to_open(path)) return open_music(path, {});  // the next one follows it
    }
}

void MediaPool::open_music(const fs::path& path, RecordingFrame wanted) {
    const Material* material = find(path);
    if (material == nullptr || !material->model_map || material->model_map->opens_music() || opening_ != 0)
        return;
    SplitWish wish;
    wish.work_folder = work_folder_;
    wish.wanted_frame = wanted.count;
    const fs::path taught = wishes_.taught_parts(path);
    std::error_code error;
    if (fs::exists(taught, error)) wish.parts_model = taught;
    kept_open_.insert(path);
    opening_ = jobs_.start_for<MaskMap>(
        tr("Opening the music of %1").arg(text(path.filename())),
        [source = material->source, map = material->model_map, wish](const JobControl& job) {
            return rivlen::open_music(*source, *map, wish, job);
        },
        [this, path, of = material->model_map](Result<MaskMap> opened) {
            opening_ = 0;
            const Material& here = materials_[path];
            if (!opened) {
                not_opened_.insert(path);
                say(opened.error());
            } else if (here.model_map == of) {  // it may have been split again meanwhile
                take_model_map(path, std::move(*opened));
                emit music_opened(text(path));
            }
            open_what_is_needed();
            emit changed();
        });
    emit changed();
}

// Most corrections are ready in no time; many fills, which look at the sound, are made ready in the
// background.
void MediaPool::correct(const fs::path& path) {
    const auto found = materials_.find(path);
    if (found == materials_.end() || !found->second.model_map) return;
    Material& material = found->second;
    const auto corrections = wishes_.corrections(path);
    const int number = ++material.correcting;
    const auto prepare = [corrections, source = material.source, map = material.model_map,
                          earlier = material.corrections](const JobControl& job) {
        return PreparedCorrections::prepare(corrections, *source, *map, job, earlier.get());
    };
    const auto take = [this, path,
                       number](const Result<std::shared_ptr<const PreparedCorrections>>& prepared) {
        Material& here = materials_[path];
        if (!prepared || number != here.correcting || !here.model_map) return;
        here.corrections = *prepared;
        here.map = (*prepared)->empty()
                       ? here.model_map
                       : std::make_shared<const MaskMap>(here.model_map->corrected(*prepared));
        sums_due_.insert(path);
        sum_timer_.start();
        emit changed();
    };
    if (PreparedCorrections::new_fills(corrections, material.corrections.get()) <= kFewFills)
        return take(prepare({}));
    jobs_.start_for<std::shared_ptr<const PreparedCorrections>>(tr("Preparing corrections"), prepare, take);
}

void MediaPool::measure_sum(const fs::path& path) {
    Material& material = materials_[path];
    if (!material.source || !material.map) return;
    if (material.sum_job != 0) jobs_.cancel(material.sum_job);
    material.sum_job = jobs_.start_for<double>(
        tr("Checking the sum"),
        [source = material.source, map = material.map](const JobControl& job) -> Result<double> {
            const double sum =
                measure_sum_dbfs(*source, *map, 0, static_cast<std::int64_t>(source->frames()), job);
            return job.cancelled() ? Result<double>(JobControl::cancelled_error()) : Result<double>(sum);
        },
        [this, path](const Result<double>& sum_dbfs) {
            if (!sum_dbfs) return;
            materials_[path].sum_job = 0;
            materials_[path].sum_dbfs = *sum_dbfs;
            emit changed();
        },
        true);
}

void MediaPool::say(const Error& error) {
    emit said(text(error.message), error.kind != ErrorKind::Cancelled);
}

void MediaPool::show_part(const fs::path& path, std::shared_ptr<const MaskMap> map) {
    if (splitting_ == 0) return;  // it is done since
    materials_[path].map_so_far = std::move(map);
    emit changed();
}

void MediaPool::split(const fs::path& path, const fs::path& model, RecordingFrame wanted) {
    const Material* material = find(path);
    if (material == nullptr || !material->source || splitting()) return;
    SplitWish wish;
    wish.work_folder = work_folder_;
    wish.model = model;
    wish.again = true;
    wish.channels = wishes_.channels(path);
    wish.wanted_frame = wanted.count;
    // The job list waits for the thread of the split before it goes; this may go earlier.
    wish.on_part = [&jobs = jobs_, me = QPointer<MediaPool>(this), path](MaskMap part) {
        auto map = std::make_shared<const MaskMap>(std::move(part));
        QMetaObject::invokeMethod(
            &jobs,
            [me, path, map] {
                if (me) me->show_part(path, map);
            },
            Qt::QueuedConnection);
    };
    splitting_ = jobs_.start_for<SplitOutcome>(
        tr("Splitting %1").arg(text(path.filename())),
        [source = material->source, wish](const JobControl& job) {
            return split_recording(*source, wish, job);
        },
        [this, path, model, channels = wish.channels,
         taught = wishes_.taught(path)](Result<SplitOutcome> done) {
            splitting_ = 0;
            Material& here = materials_[path];
            here.map_so_far.reset();
            if (!done) {
                say(done.error());
            } else {
                emit said(tr("Split with the %1 model in %2 s, %3 × real time.")
                              .arg(text(model.stem()))
                              .arg(done->report->seconds, 0, 'f', 1)
                              .arg(done->report->times_real_time, 0, 'f', 0),
                          false);
                // Channels may be grouped otherwise by now, or other weights in use: then the map stays for
                // later.
                if (wishes_.channels(path) == channels && wishes_.taught(path) == taught) {
                    set_map(path, std::move(done->map));
                }
            }
            emit changed();
        });
    emit changed();
}

}  // namespace rivlen::app
