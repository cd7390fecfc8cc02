// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/document.h"

#include <QPointer>
#include <QUndoCommand>
#include <QUuid>
#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/base/output_file.h"
#include "core/mix/measure.h"
#include "core/separation/separator.h"
#include "core/separation/shaper.h"
#include "core/separation/split.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

constexpr int kAutosaveMs = 1500;
using Clock = std::chrono::steady_clock;
constexpr std::chrono::seconds kPartsApart{3};  // between looks at what is split so far
QString text(const std::string& s) {
    return QString::fromStdString(s);
}
QString text(const fs::path& p) {
    return QString::fromStdString(p.string());
}

}  // namespace

// The whole session before and after: it is small, and so nothing can be forgotten.
class SessionCommand : public QUndoCommand {
  public:
    SessionCommand(Document& document, const QString& label, QString key, int step, Session before,
                   Session after)
        : QUndoCommand(label),
          document_(document),
          key_(std::move(key)),
          step_(step),
          before_(std::move(before)),
          after_(std::move(after)) {}
    void undo() override { document_.apply(before_); }
    void redo() override { document_.apply(after_); }
    [[nodiscard]] int id() const override { return key_.isEmpty() ? -1 : 1; }
    bool mergeWith(const QUndoCommand* other) override {
        const auto* next = dynamic_cast<const SessionCommand*>(other);
        if (next == nullptr || next->key_ != key_ || next->step_ != step_) return false;
        after_ = next->after_;
        setObsolete(before_ == after_);
        return true;
    }

  private:
    Document& document_;
    QString key_;
    int step_;
    Session before_, after_;
};

Document::Document(JobList& jobs, fs::path work_folder, QObject* parent)
    : QObject(parent), jobs_(jobs), work_folder_(std::move(work_folder)) {
    std::error_code error;
    fs::create_directories(work_folder_ / "recovery", error);
    const QString name = QUuid::createUuid().toString(QUuid::WithoutBraces);
    recovery_path_ = work_folder_ / "recovery" / (name.toStdString() + kSessionExtension);
    recovery_lock_ = std::make_unique<QLockFile>(text(recovery_path_) + ".lock");
    recovery_lock_->setStaleLockTime(0);
    recovery_lock_->tryLock(0);
    autosave_timer_.setSingleShot(true);
    autosave_timer_.setInterval(kAutosaveMs);
    connect(&autosave_timer_, &QTimer::timeout, this, &Document::autosave);
}

Document::~Document() {
    std::error_code ignored;
    fs::remove(recovery_path_, ignored);
}

QString Document::title() const {
    const QString name = path_.empty() ? tr("Unsaved session") : text(path_.stem());
    return changed_since_saving() ? name + " *" : name;
}

const SessionItem* Document::current_item() const {
    if (session_.current < 0 || session_.current >= static_cast<int>(session_.items.size())) return nullptr;
    return &session_.items[static_cast<std::size_t>(session_.current)];
}

const Material* Document::current_material() const {
    const SessionItem* item = current_item();
    if (item == nullptr) return nullptr;
    const auto found = materials_.find(item->path);
    return found != materials_.end() ? &found->second : nullptr;
}

std::shared_ptr<const Source> Document::source() const {
    const Material* material = current_material();
    return material != nullptr ? material->source : nullptr;
}

std::shared_ptr<const MaskMap> Document::map() const {
    const Material* material = current_material();
    return material != nullptr ? material->map : nullptr;
}

std::shared_ptr<const MaskMap> Document::map_so_far() const {
    const Material* material = current_material();
    if (material == nullptr) return nullptr;
    return material->map ? material->map : material->map_so_far;
}

void Document::edit(const QString& label, const QString& key, const std::function<void(Session&)>& change) {
    Session after = session_;
    change(after);
    if (after == session_) return;
    undo_.push(new SessionCommand(*this, label, key, step_, session_, std::move(after)));
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
    return item != nullptr ? item->edited_at(playhead_) : ShapeSettings{};
}

const SettingLane* Document::line_of(std::size_t stem, Setting setting) const {
    const SessionItem* item = current_item();
    return item != nullptr && item->own_range() == nullptr ? find_lane(item->lines, stem, setting) : nullptr;
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
            if (line.stem == stem && line.setting == setting) writer_.write(line.points, playhead_, value);
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
            put_point(item.lines, stem, Setting::Isolation, {playhead_, proposal.isolation_percent});
    });
}

void Document::close_step() {
    if (writer_.wrote_a_stretch()) {
        const Line w = written_;
        const QString key = QString("%1 %2").arg(info(w.setting).key).arg(w.stem);
        edit_lines(undo_.undoText(), key, [&](std::vector<SettingLane>& lines) {
            for (auto& line : lines) {
                if (line.stem == w.stem && line.setting == w.setting)
                    writer_.finish(line.points, info(w.setting).step);
            }
        });
    }
    writer_.reset();
    ++step_;
}

void Document::apply(const Session& session) {
    const auto added = added_media(session);
    const bool other_items =
        session.current != session_.current || session.items.size() != session_.items.size() ||
        std::ranges::any_of(added, [this](const fs::path& path) { return !materials_.contains(path); });
    std::vector<fs::path> regrouped;
    for (const auto& item : session.items)
        if (item.channels != channels_of(item.path)) regrouped.push_back(item.path);
    const bool other_rate = session.timeline.sample_rate != session_.timeline.sample_rate;
    session_ = session;
    compare_hashes();
    autosave_timer_.start();
    if (other_rate) convert_materials();
    emit session_changed();
    for (const auto& path : regrouped) {
        const auto found = materials_.find(path);
        if (found == materials_.end() || !found->second.source) continue;
        found->second.map.reset();
        find_map(path, found->second);
        if (found->second.map) measure_sum(path);
    }
    if (other_items) load_materials();
    if (other_items || !regrouped.empty()) emit material_changed();
}

// A session remembers the sound it was made with; another sound under the same name is told, not refused.
void Document::compare_hashes() {
    for (auto& item : session_.items) {
        const auto found = materials_.find(item.path);
        if (found == materials_.end() || !found->second.source) continue;
        const std::string& hash = found->second.source->hash();
        if (!item.hash.empty() && item.hash != hash) {
            emit said(
                tr("The sound of \"%1\" is not what it was when the session was saved. Check that it is "
                   "the right recording.")
                    .arg(text(item.path.filename())),
                true);
        }
        item.hash = hash;
    }
}

void Document::autosave() {
    const Status status = save_session(session_, recovery_path_);
    if (!status) emit said(text(status.error().message), true);
}

void Document::load_materials() {
    for (const auto& item : session_.items) {
        if (!materials_.contains(item.path)) load_material(item.path);
    }
    for (const auto& path : added_media(session_)) {
        if (!materials_.contains(path)) load_material(path);
    }
}

void Document::load_material(const fs::path& path) {
    Material& material = materials_[path];
    std::error_code error;
    if (!fs::exists(path, error)) {
        material.trouble = tr("The recording is missing.");
        emit media_missing(text(path));
        return;
    }
    material.loading = true;
    auto loaded = std::make_shared<Material>();
    jobs_.start(
        tr("Bringing in %1").arg(text(path.filename())),
        [path, loaded, folder = work_folder_](const JobControl& job) -> Status {
            auto info = probe(path);
            if (!info) return info.error();
            auto source = Source::bring_in(path, folder, job);
            if (!source) return source.error();
            loaded->info = std::move(*info);
            loaded->source = std::make_shared<const Source>(std::move(*source));
            return {};
        },
        [this, path, loaded](const Status& status) {
            Material& here = materials_[path];
            here.loading = false;
            if (!status) {
                here.trouble = text(status.error().message);
                emit said(here.trouble, true);
            } else {
                here = *loaded;
                compare_hashes();
                for (const auto& warning : here.source->warnings())
                    emit said(text(path.filename()) + ": " + text(warning), true);
                find_map(path, here);
                if (here.map) measure_sum(path);
                if (!here.map && split_on_arrival_ && current_item() != nullptr &&
                    current_item()->path == path)
                    split();
                convert_materials();
                place_waiting(path);
            }
            emit material_changed();
        });
}

ChannelGrouping Document::channels_of(const fs::path& path) const {
    const auto item = std::ranges::find(session_.items, path, &SessionItem::path);
    return item != session_.items.end() ? item->channels : ChannelGrouping::Pairs;
}

void Document::find_map(const fs::path& path, Material& material) {
    const auto channels = channels_of(path);
    for (const char* name : {kFineModel, kQuickModel}) {  // the best there is
        const auto model = model_identity(find_model(name));
        if (!model) continue;
        auto map = MaskMap::open(map_path(*material.source, *model, channels, work_folder_),
                                 material.source->hash());
        if (!map) continue;
        material.map = std::make_shared<const MaskMap>(std::move(*map));
        return;
    }
}

void Document::measure_sum(const fs::path& path) {
    const Material& material = materials_[path];
    auto value = std::make_shared<double>(0.0);
    jobs_.start(
        tr("Checking the sum"),
        [source = material.source, map = material.map, value](const JobControl& job) -> Status {
            *value = measure_sum_dbfs(*source, *map, 0, static_cast<std::int64_t>(source->frames()), job);
            return job.cancelled() ? Status(JobControl::cancelled_error()) : Status{};
        },
        [this, path, value](const Status& status) {
            if (!status) return;
            materials_[path].sum_dbfs = *value;
            emit material_changed();
        },
        true);
}

void Document::bring_in(const fs::path& path) {
    std::error_code error;
    const fs::path absolute = fs::absolute(path, error).lexically_normal();
    for (std::size_t i = 0; i < session_.items.size(); ++i) {
        if (session_.items[i].path == absolute) {
            edit(tr("Show %1").arg(text(path.filename())), {},
                 [i](Session& s) { s.current = static_cast<int>(i); });
            return;
        }
    }
    // Looked at before it becomes part of the session: what is no recording never gets in.
    const auto info = probe(absolute);
    if (!info) {
        emit said(text(info.error().message), true);
        return;
    }
    edit(tr("Bring in %1").arg(text(path.filename())), {}, [&](Session& session) {
        session.items.push_back({absolute, {}, {}, {}, true});
        session.current = static_cast<int>(session.items.size()) - 1;
    });
}

void Document::split(const std::string& model) {
    const SessionItem* item = current_item();
    const auto src = source();
    if (item == nullptr || !src || splitting_ != 0) return;
    const fs::path path = item->path;
    auto found = std::make_shared<std::shared_ptr<const MaskMap>>();
    auto report = std::make_shared<SplitReport>();
    splitting_ = jobs_.start(
        tr("Splitting %1").arg(text(path.filename())),
        [&jobs = jobs_, me = QPointer<Document>(this), path, src, folder = work_folder_, found, report,
         playhead = playhead_, channels = item->channels,
         weights = find_model(model)](const JobControl& job) -> Status {
            auto separator = load_separator({}, weights);
            if (!separator) return separator.error();
            const auto target = map_path(*src, (*separator)->model(), channels, folder);
            SplitOptions options;
            options.channels = channels;
            options.wanted_frame =
                static_cast<std::uint64_t>(static_cast<double>(std::max<std::int64_t>(playhead, 0)) /
                                           src->sample_rate() * kModelRate / kModelHop);
            options.on_part = [&jobs, me, path, wanted = options.wanted_frame,
                               shown = Clock::time_point()](MaskMapWriter& writer) mutable {
                if (Clock::now() - shown < kPartsApart) return;
                auto part = writer.so_far();
                if (!part) return;  // the split itself will tell
                if (!part->has(std::min(wanted, part->facts().frames - 1))) return;
                shown = Clock::now();
                QMetaObject::invokeMethod(
                    &jobs,  // which waits for this thread before it goes
                    [me, path, map = std::make_shared<const MaskMap>(std::move(*part))] {
                        if (!me || me->splitting_ == 0) return;  // it is done since
                        me->materials_[path].map_so_far = map;
                        emit me->material_changed();
                    },
                    Qt::QueuedConnection);
            };
            auto done = rivlen::split(*src, **separator, target, options, job);
            if (!done) return done.error();
            auto map = MaskMap::open(target, src->hash());
            if (!map) return map.error();
            *report = *done;
            *found = std::make_shared<const MaskMap>(std::move(*map));
            return {};
        },
        [this, path, found, report, model, channels = item->channels](const Status& status) {
            splitting_ = 0;
            materials_[path].map_so_far.reset();
            if (!status) {
                emit said(text(status.error().message), status.error().kind != ErrorKind::Cancelled);
            } else {
                // Taken back in the meantime, the map stays for later.
                if (channels_of(path) == channels) materials_[path].map = *found;
                emit said(tr("Split with the %1 model in %2 s, %3 × real time.")
                              .arg(text(model))
                              .arg(report->seconds, 0, 'f', 1)
                              .arg(report->times_real_time, 0, 'f', 0),
                          false);
                if (materials_[path].map) measure_sum(path);
            }
            emit material_changed();
        });
    emit material_changed();
}

void Document::set_channels(ChannelGrouping channels) {
    const auto before = map();
    edit(tr("Channels"), {}, [&](Session& session) {
        if (session.current >= 0)
            session.items[static_cast<std::size_t>(session.current)].channels = channels;
    });
    if (before && !map()) split(before->facts().model.starts_with(kFineModel) ? kFineModel : kQuickModel);
}

void Document::reset_history() {
    undo_.clear();
    undo_.setClean();
    autosave_timer_.stop();
    std::error_code ignored;
    fs::remove(recovery_path_, ignored);
}

void Document::new_session() {
    path_.clear();
    recovered_ = false;
    session_ = {};
    waiting_.clear();
    convert_materials();
    reset_history();
    emit session_changed();
    emit material_changed();
}

bool Document::open(const fs::path& path) {
    auto session = load_session(path);
    if (!session) {
        emit said(text(session.error().message), true);
        return false;
    }
    path_ = path;
    recovered_ = false;
    session_ = std::move(*session);
    waiting_.clear();
    convert_materials();
    reset_history();
    for (const auto& missing : missing_media(session_)) materials_.erase(missing);
    load_materials();
    emit session_changed();
    emit material_changed();
    return true;
}

bool Document::save(const fs::path& path) {
    const Status status = save_session(session_, path);
    if (!status) {
        emit said(text(status.error().message), true);
        return false;
    }
    path_ = path;
    recovered_ = false;
    undo_.setClean();
    std::error_code ignored;
    fs::remove(recovery_path_, ignored);
    emit session_changed();
    return true;
}

void Document::relocate(const fs::path& missing, const fs::path& found) {
    std::error_code error;
    const fs::path folder = found.parent_path();
    const auto now = [&](fs::path& path) {
        if (path == missing) {
            path = found;
        } else if (!fs::exists(path, error) && fs::exists(folder / path.filename(), error)) {
            path = folder / path.filename();
        }
    };
    edit(tr("Find %1").arg(text(missing.filename())), {}, [&](Session& session) {
        for (auto& item : session.items) now(item.path);
        for (auto& track : session.timeline.tracks) {
            for (auto& clip : track.clips) now(clip.path);
        }
        for (auto& cut : session.timeline.picture) now(cut.path);
    });
    load_materials();
    emit material_changed();
}

bool Document::recover() {
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(work_folder_ / "recovery", error)) {
        const fs::path& file = entry.path();
        if (file.extension() != kSessionExtension || file == recovery_path_) continue;
        QLockFile lock(text(file) + ".lock");
        lock.setStaleLockTime(0);
        if (!lock.tryLock(0)) continue;  // another Rivlen is working on it
        auto session = load_session(file);
        if (!session) continue;
        session_ = std::move(*session);
        convert_materials();
        recovered_ = true;
        path_.clear();
        autosave();
        fs::remove(file, error);
        load_materials();
        emit session_changed();
        emit material_changed();
        emit said(tr("Rivlen did not end properly last time. The session is as it was seconds before; save "
                     "it to keep it."),
                  false);
        return true;
    }
    return false;
}

}  // namespace rivlen::app
