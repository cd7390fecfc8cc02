// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/document.h"

#include <algorithm>

#include "app/widgets/text.h"
#include "core/base/output_file.h"
#include "core/workflow/bringing_in.h"
#include "core/workflow/session_media.h"
#include "core/workflow/splitting.h"
#include "core/workflow/teaching.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

// From the first change that is not kept yet: a steady movement is kept as often.
constexpr int kKeepMs = 1500;

}  // namespace

Document::Document(JobList& jobs, fs::path work_folder, QObject* parent)
    : QObject(parent),
      jobs_(jobs),
      work_folder_(std::move(work_folder)),
      recovery_(work_folder_),
      media_(jobs, work_folder_,
             {[this](const fs::path& path) { return channels_of(path); },
              [this](const fs::path& path) { return corrections_of(path); },
              [this](const fs::path& path) { return taught_of(path); },
              [this](const fs::path& path) { return taught_parts_of(path); },
              [this](const fs::path& path) { return needs_music_parts(session(), path); }}) {
    if (const Status ready = prepare_work_folder(work_folder_); !ready)
        qWarning("%s", ready.error().message.c_str());
    sweep_partials(work_folder_);
    keep_timer_.setSingleShot(true);
    keep_timer_.setInterval(kKeepMs);
    connect(&keep_timer_, &QTimer::timeout, this, &Document::keep_for_recovery);
    connect(&media_, &MediaPool::changed, this, &Document::follow_media);
    connect(&media_, &MediaPool::said, this, &Document::said);
    connect(&media_, &MediaPool::missing, this, &Document::media_missing);
    connect(&media_, &MediaPool::music_opened, this, [this](const QString& path) {
        if (current_item() != nullptr && text(current_item()->path) == path) emit music_opened();
    });
    connect(&media_, &MediaPool::read, this, [this](const QString& path) { take_up(path.toStdString()); });
    connect(&media_, &MediaPool::ready_to_mix, this,
            [this](const QString& path) { place_waiting(path.toStdString()); });
}

QString Document::title() const {
    const QString name = path_.empty() ? tr("Unsaved session") : text(path_.stem());
    return changed_since_saving() ? name + " *" : name;
}

const SessionItem* Document::current_item() const {
    const Session& s = session();
    if (s.current < 0 || s.current >= static_cast<int>(s.items.size())) return nullptr;
    return &s.items[static_cast<std::size_t>(s.current)];
}

const Material* Document::current_material() const {
    const SessionItem* item = current_item();
    return item != nullptr ? media_.find(item->path) : nullptr;
}

std::shared_ptr<const Source> Document::source() const {
    const Material* material = current_material();
    return material != nullptr ? material->source : nullptr;
}

std::shared_ptr<const MaskMap> Document::map() const {
    const Material* material = current_material();
    return material != nullptr ? material->map : nullptr;
}

std::shared_ptr<const MaskMap> Document::model_map() const {
    const Material* material = current_material();
    return material != nullptr ? material->model_map : nullptr;
}

std::shared_ptr<const MaskMap> Document::map_so_far() const {
    const Material* material = current_material();
    if (material == nullptr) return nullptr;
    return material->map ? material->map : material->map_so_far;
}

void Document::edit(const QString& label, const QString& key, const std::function<void(Session&)>& change) {
    const auto before = history_.state();
    if (history_.edit(label.toStdString(), key.toStdString(), change)) follow_change(*before);
}

void Document::undo() {
    const auto before = history_.state();
    if (history_.undo()) follow_change(*before);
}

void Document::redo() {
    const auto before = history_.state();
    if (history_.redo()) follow_change(*before);
}

void Document::edit_settings(const QString& label, const QString& key,
                             const std::function<void(ShapeSettings&)>& change) {
    if (current_item() == nullptr) return;
    edit(label, key, [&](Session& session) {
        change(session.items[static_cast<std::size_t>(session.current)].edited());
    });
}

ShapeSettings Document::shown_settings() const {
    const SessionItem* item = current_item();
    return item != nullptr ? item->edited_at(playhead_.count) : ShapeSettings{};
}

const SettingLane* Document::line_of(std::size_t stem, Setting setting) const {
    const SessionItem* item = current_item();
    return item != nullptr && item->own_range() == nullptr ? find_lane(item->lines, stem, setting) : nullptr;
}

void Document::edit_corrections(const QString& label, const QString& key,
                                const std::function<void(std::vector<Correction>&)>& change) {
    if (current_item() == nullptr) return;
    edit(label, key, [&](Session& s) {
        auto& corrections = s.items[static_cast<std::size_t>(s.current)].corrections;
        change(corrections);
        normalise(corrections);
    });
}

void Document::edit_lines(const QString& label, const QString& key,
                          const std::function<void(std::vector<SettingLane>&)>& change) {
    if (current_item() == nullptr) return;
    edit(label, key,
         [&](Session& session) { change(session.items[static_cast<std::size_t>(session.current)].lines); });
}

void Document::set_value(const QString& label, std::size_t stem, Setting setting, double value) {
    const QString key = QString("%1 %2").arg(info(setting).key).arg(stem);
    const auto switch_on = [&](StemSettings& s) {
        if (info(setting).switchable) s.set_on(setting, true);  // who moves it wants to hear it
    };
    if (line_of(stem, setting) == nullptr) {
        edit_settings(label, key, [&](ShapeSettings& s) {
            s.stems[stem].set(setting, value);
            switch_on(s.stems[stem]);
        });
        return;
    }
    if (!(written_ == Line{stem, setting})) writer_.reset();
    written_ = {stem, setting};
    edit(label, key, [&](Session& session) {
        auto& item = session.items[static_cast<std::size_t>(session.current)];
        for (auto& line : item.lines) {
            if (line.stem == stem && line.setting == setting)
                writer_.write(line.points, playhead_.count, value);
        }
        switch_on(item.settings.stems[stem]);
    });
}

void Document::take_proposal(const QString& label, std::size_t stem, const Proposal& proposal) {
    if (current_item() == nullptr) return;
    close_step();
    const bool has_line = line_of(stem, Setting::Isolation) != nullptr;
    edit(label, {}, [&](Session& session) {
        auto& item = session.items[static_cast<std::size_t>(session.current)];
        take(proposal, item.edited().stems[stem]);
        if (has_line)
            put_point(item.lines, stem, Setting::Isolation, {playhead_.count, proposal.isolation_percent});
    });
}

void Document::close_step() {
    if (writer_.wrote_a_stretch()) {
        const Line w = written_;
        const QString key = QString("%1 %2").arg(info(w.setting).key).arg(w.stem);
        edit_lines(text(history_.undo_label()), key, [&](std::vector<SettingLane>& lines) {
            for (auto& line : lines) {
                if (line.stem == w.stem && line.setting == w.setting)
                    writer_.finish(line.points, info(w.setting).step);
            }
        });
    }
    writer_.reset();
    history_.close_run();
}

// Files come in and maps are found anew only where the change asks for it.
void Document::follow_change(const Session& before) {
    const Session& now = session();
    if (!keep_timer_.isActive()) keep_timer_.start();
    compare_hashes();
    std::vector<fs::path> regrouped, corrected;
    for (const auto& item : now.items) {
        const auto was = item_of(before, item.path);
        if (!was) {
            regrouped.push_back(item.path);  // another session may have had it otherwise
            continue;
        }
        const SessionItem& then = before.items[*was];
        if (then.channels != item.channels || then.taught != item.taught ||
            then.taught_parts != item.taught_parts)
            regrouped.push_back(item.path);
        if (then.corrections != item.corrections) corrected.push_back(item.path);
    }
    if (now.timeline.sample_rate != before.timeline.sample_rate)
        media_.set_session_rate(now.timeline.sample_rate);
    emit session_changed();
    for (const auto& path : regrouped) media_.find_map_again(path);
    for (const auto& path : corrected) media_.correct(path);
    media_.open_what_is_needed();
    const auto added = added_media(now);
    const bool other_items =
        now.current != before.current || now.items.size() != before.items.size() ||
        std::ranges::any_of(added, [this](const fs::path& path) { return !media_.has(path); });
    if (other_items) load_media();
    if (other_items || !regrouped.empty()) emit material_changed();
}

void Document::follow_media() {
    if (!media_.reading()) recovery_.media_read();
    emit material_changed();
}

// What a file was read for.
void Document::take_up(const fs::path& path) {
    compare_hashes();
    const SessionItem* item = current_item();
    if (split_on_arrival_ && item != nullptr && item->path == path && !media_.find(path)->map) split();
    place_waiting(path);
}

// A session remembers the sound it was made with; another sound under the same name is told, not refused.
void Document::compare_hashes() {
    for (std::size_t i = 0; i < session().items.size(); ++i) {
        const SessionItem& item = session().items[i];
        const Material* material = media_.find(item.path);
        if (material == nullptr || !material->source || item.hash == material->source->hash()) continue;
        if (!item.hash.empty()) {
            emit said(
                tr("The sound of \"%1\" is not what it was when the session was saved. Check that it is "
                   "the right recording.")
                    .arg(text(item.path.filename())),
                true);
        }
        history_.note([&](Session& s) { s.items[i].hash = material->source->hash(); });
    }
}

void Document::load(const fs::path& path) {
    if (media_.has(path)) return;
    recovery_.reading_media();
    media_.load(path);
    if (!media_.reading()) recovery_.media_read();
}

void Document::load_media() {
    for (const auto& item : session().items) load(item.path);
    for (const auto& path : added_media(session())) load(path);
}

std::vector<Correction> Document::corrections_of(const fs::path& path) const {
    const auto item = item_of(session(), path);
    return item ? session().items[*item].corrections : std::vector<Correction>();
}

ChannelGrouping Document::channels_of(const fs::path& path) const {
    const auto item = item_of(session(), path);
    return item ? session().items[*item].channels : ChannelGrouping::Bed;
}

void Document::bring_in(const fs::path& path) {
    const fs::path file = session_path(path);
    const auto add = [this, file](const QString& what) {
        edit(what.arg(text(file.filename())), {}, [&](Session& s) { add_recording(s, file); });
    };
    if (item_of(session(), file)) return add(tr("Show %1"));
    // What is no recording never gets into the session.
    look_at(file, [add] { add(tr("Bring in %1")); });
}

// A disk may take its time: not on the window's thread.
void Document::look_at(const fs::path& path, std::function<void()> then) {
    looks_.push_back({path, std::move(then)});
    look_at_next();
}

void Document::look_at_next() {
    if (looking_ || looks_.empty()) return;
    looking_ = true;
    jobs_.start_for<MediaInfo>(
        tr("Looking at %1").arg(text(looks_.front().path.filename())),
        [path = looks_.front().path](const JobControl& job) { return probe(path, job.cancel); },
        [this, session = sessions_begun_](const Result<MediaInfo>& info) {
            looking_ = false;
            if (session == sessions_begun_) {  // else nobody waits for it any more
                const Look look = std::move(looks_.front());
                looks_.pop_front();
                if (info) look.then();
                if (!info) emit said(text(info.error().message), info.error().kind != ErrorKind::Cancelled);
            }
            look_at_next();
        });
}

void Document::split(const std::string& model) {
    const SessionItem* item = current_item();
    if (item == nullptr || splitting()) return;
    use_taught(false);
    media_.split(item->path, find_model(model), playhead_);
}

void Document::open_music() {
    const SessionItem* item = current_item();
    if (item == nullptr || !model_map()) return emit said(tr("Split the recording first."), false);
    if (model_map()->opens_music()) return;
    media_.open_music(item->path, playhead_);
}

void Document::set_channels(ChannelGrouping channels) {
    const auto before = map();
    edit(tr("Channels"), {}, [&](Session& s) {
        if (s.current >= 0) s.items[static_cast<std::size_t>(s.current)].channels = channels;
    });
    if (!before || map()) return;
    const auto taught = taught_of(current_item()->path);
    media_.split(current_item()->path, taught.empty() ? find_model(model_of(*before)) : taught, playhead_);
}

// Another session than before, without a past.
void Document::begin(Session session, bool saved) {
    history_.begin(std::move(session), saved);
    waiting_.clear();
    looks_.clear();
    ++sessions_begun_;
    playhead_ = {};
    keep_timer_.stop();
    recovery_.forget();
    media_.set_session_rate(timeline().sample_rate);
    // Recordings that the last session had, too, are read as this one wants them.
    for (const auto& item : this->session().items) media_.find_map_again(item.path);
}

void Document::new_session() {
    path_.clear();
    lock_ = {};
    begin({}, true);
    emit session_changed();
    emit material_changed();
}

bool Document::open(const fs::path& path) {
    auto loaded = load_session(path);
    if (!loaded) {
        emit said(text(loaded.error().message), true);
        return false;
    }
    path_ = path;
    lock_ = SessionLock(path);
    begin(std::move(*loaded), true);
    for (const auto& missing : missing_media(session())) media_.forget(missing);
    compare_hashes();
    load_media();
    emit session_changed();
    emit material_changed();
    keep_cut_off_takes();
    if (!lock_.held())
        emit said(
            tr("%1 has this session open. You can look at it and work on, but save it under another name.")
                .arg(text(lock_.holder())),
            true);
    return true;
}

bool Document::save(const fs::path& path) {
    if (path != path_ || !lock_.held()) {
        SessionLock lock(path);
        if (!lock.held()) {
            emit said(tr("%1 has \"%2\" open. Save under another name.")
                          .arg(text(lock.holder()), text(path.filename())),
                      true);
            return false;
        }
        lock_ = std::move(lock);
    }
    history_.note([&](Session& s) {
        if (const Status brought = bring_taught_beside(s, path, work_folder_); !brought)
            emit said(text(brought.error().message), true);
    });
    if (const Status saved = save_session(session(), path); !saved) {
        emit said(text(saved.error().message), true);
        return false;
    }
    path_ = path;
    history_.mark_saved();
    keep_timer_.stop();
    recovery_.forget();
    emit session_changed();
    return true;
}

void Document::relocate(const fs::path& missing, const fs::path& found) {
    edit(tr("Find %1").arg(text(missing.filename())), {},
         [&](Session& s) { rivlen::relocate(s, missing, found); });
    load_media();
    emit material_changed();
}

}  // namespace rivlen::app
