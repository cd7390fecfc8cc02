// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/rebuild_view.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QScrollArea>
#include <QScrollBar>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/theme.h"
#include "core/delivery/export_mix.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

constexpr int kHeadWidth = 196;
constexpr int kSideWidth = 316;
constexpr double kRoomBehind = 1.05;  // of the last clip

// Changes of one value that follow each other become one step.
QString merge_key(int strip, const StripLane& target) {
    return QString("strip %1 %2 %3 %4")
        .arg(strip)
        .arg(static_cast<int>(target.target))
        .arg(target.part)
        .arg(target.parameter);
}

}  // namespace

RebuildView::RebuildView(Document& document, JobList& jobs, MixPlayer& player, QWidget* parent)
    : QWidget(parent), document_(document), jobs_(jobs), player_(player), levels_(document, jobs) {
    setObjectName("rebuild_view");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(6);
    middle->addWidget(build_tracks(), 1);
    middle->addWidget(build_side());
    column->addLayout(middle, 1);
    column->addWidget(build_transport());
    plan_timer_.setSingleShot(true);
    plan_timer_.setInterval(0);
    connect(&plan_timer_, &QTimer::timeout, this, &RebuildView::make_plan);
    connect(&document_, &Document::session_changed, this, &RebuildView::follow_session);
    connect(&document_, &Document::material_changed, this, [this] { plan_timer_.start(); });
    connect(side_, &Inspector::silences_changed, this, [this] {
        canvas_->set_preview(side_->silences());
        silences_->setChecked(side_->silences_shown());
    });
    connect(side_, &Inspector::hearing_wanted, this, [this](int part, Chain::Audition what) {
        heard_part_ = part;
        heard_as_ = what;
        if (plan_) plan_->hear(part, what);
    });
    connect(side_, &Inspector::look_wanted, this, &RebuildView::look_at);
    connect(side_, &Inspector::proposal_wanted, this, &RebuildView::propose);
    connect(&selection_, &Selection::changed, this, [this] {
        if (selection_.strip() != tapped_) plan_timer_.start();
    });
    connect(side_, &Inspector::said, this, &RebuildView::said);
    connect(side_, &Inspector::replace_wanted, this, &RebuildView::ask_replacement);
    connect(&recorder_, &Recorder::failed, this,
            [this](const QString& sentence) { emit said(sentence, true); });
    follow_session();
}

RebuildView::~RebuildView() = default;

QWidget* RebuildView::build_tracks() {
    auto* area = new QWidget(this);
    auto* column = new QVBoxLayout(area);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    auto* top = new QHBoxLayout;
    top->setSpacing(3);
    auto* tools = new QWidget(area);
    tools->setFixedWidth(kHeadWidth);
    auto* grid = new QGridLayout(tools);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(3);
    auto* stems = make_button(
        tr("Place stems"), "place_stems",
        tr("The stems of the current recording as tracks, from the playhead on (Shift+P)."), tools);
    auto* file = make_button(tr("Add file…"), "add_file",
                             tr("A file onto the chosen track, from the playhead on (Shift+B)."), tools);
    snap_ = make_button(tr("Snap"), "snap", tr("Clips snap to edits, loop, playhead and picture frames (N)."),
                        tools);
    groups_ = make_button(tr("Groups"), "groups", tr("An edit of a clip is an edit of its group (Shift+G)."),
                          tools);
    for (auto* b : {snap_, groups_}) b->setCheckable(true);
    grid->addWidget(stems, 0, 0);
    grid->addWidget(file, 0, 1);
    grid->addWidget(snap_, 1, 0);
    grid->addWidget(groups_, 1, 1);
    for (auto* b : {stems, file, snap_, groups_})
        b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    connect(stems, &QToolButton::clicked, this, &RebuildView::place_stems);
    connect(file, &QToolButton::clicked, this, &RebuildView::ask_file_for_track);
    connect(snap_, &QToolButton::clicked, this, &RebuildView::toggle_snapping);
    connect(groups_, &QToolButton::clicked, this, &RebuildView::toggle_groups);
    ruler_ = new MixRuler(document_, player_, view_, selection_, area);
    ruler_->setObjectName("mix_ruler");
    top->addWidget(tools);
    top->addWidget(ruler_, 1);
    column->addLayout(top);

    auto* scroll = new QScrollArea(area);
    scroll->setObjectName("track_area");
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* content = new QWidget(scroll);
    auto* row = new QHBoxLayout(content);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(3);
    heads_ = new QWidget(content);
    heads_->setFixedWidth(kHeadWidth);
    auto* head_column = new QVBoxLayout(heads_);
    head_column->setContentsMargins(0, 0, 0, 0);
    head_column->setSpacing(0);
    canvas_ = new TrackCanvas(document_, player_, view_, selection_, levels_, content);
    canvas_->setObjectName("tracks");
    row->addWidget(heads_, 0, Qt::AlignTop);
    row->addWidget(canvas_, 1, Qt::AlignTop);
    scroll->setWidget(content);
    column->addWidget(scroll, 1);

    main_head_ = new QWidget(area);
    auto* main_row = new QHBoxLayout(main_head_);
    main_row->setContentsMargins(0, 0, 0, 0);
    main_row->setSpacing(3);
    column->addWidget(main_head_);
    return area;
}

QWidget* RebuildView::build_side() {
    auto* side = new QWidget(this);
    side->setFixedWidth(kSideWidth);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    picture_ = new PicturePane(side);
    picture_->setFixedHeight(178);
    side_ = new Inspector(
        document_, selection_, levels_,
        [this](int strip, const StripLane& target, double value) { set_strip_value(strip, target, value); },
        side);
    side_->setObjectName("mix_side");
    column->addWidget(picture_);
    column->addWidget(side_, 1);
    return side;
}

QWidget* RebuildView::build_transport() {
    auto* bar = new QWidget(this);
    auto* line = new QHBoxLayout(bar);
    line->setContentsMargins(0, 2, 0, 0);
    play_ = make_button(tr("Play"), "mix_play", tr("Play or stop (Space)."), bar);
    loop_ = make_button(tr("Loop"), "mix_loop",
                        tr("Play the loop range again and again (L). Drag over the ruler to set it."), bar);
    record_ = make_button(
        tr("Record"), "record",
        tr("Record from the microphone onto the chosen track, from the playhead on (Shift+R)."), bar);
    silences_ = make_button(tr("Silences…"), "silences", tr("Take the silences out of talk (Shift+S)."), bar);
    for (auto* b : {loop_, record_, silences_}) b->setCheckable(true);
    time_ = new QLabel(bar);
    time_->setObjectName("mix_time");
    time_->setFont(number_font());
    time_->setMinimumWidth(96);
    time_->setAccessibleName(tr("Playhead in timecode"));
    samples_ = new QLabel(bar);
    samples_->setObjectName("mix_samples");
    samples_->setFont(number_font());
    samples_->setMinimumWidth(120);
    samples_->setAccessibleName(tr("Playhead in samples"));
    loudness_ = new QLabel(bar);
    loudness_->setObjectName("mix_loudness");
    loudness_->setFont(number_font());
    loudness_->setToolTip(
        tr("Main bus: momentary, short-term and integrated loudness (ITU-R BS.1770-4, EBU Tech 3341) and "
           "true peak since playing began."));
    for (QWidget* w :
         {static_cast<QWidget*>(play_), static_cast<QWidget*>(loop_), static_cast<QWidget*>(record_),
          static_cast<QWidget*>(time_), static_cast<QWidget*>(samples_), static_cast<QWidget*>(silences_)})
        line->addWidget(w);
    line->addStretch(1);
    line->addWidget(loudness_);
    connect(play_, &QToolButton::clicked, this, &RebuildView::play_or_stop);
    connect(loop_, &QToolButton::clicked, this, &RebuildView::toggle_loop);
    connect(record_, &QToolButton::clicked, this, &RebuildView::toggle_record);
    connect(silences_, &QToolButton::clicked, this, &RebuildView::toggle_silences);
    return bar;
}

void RebuildView::follow_session() {
    const Timeline& r = document_.timeline();
    build_headers();
    selection_.follow(r);
    for (auto* header : headers_) header->follow_session();
    snap_->setChecked(canvas_->snapping());
    groups_->setChecked(r.edit_groups);
    loop_->setChecked(r.loop && r.loop_on);
    loop_->setEnabled(r.loop.has_value());
    player_.set_loop(r.loop_on ? r.loop : std::nullopt);
    play_->setEnabled(r.end() > 0);
    const double total = r.sample_rate > 0 ? static_cast<double>(r.end()) / r.sample_rate * kRoomBehind : 1.0;
    if (total_ == 0 || total > total_ || total < 0.5 * total_) {
        total_ = total;
        view_.set_total(total);
        view_.settle();
    }
    plan_timer_.start();
}

void RebuildView::make_plan() {
    auto plan = std::make_shared<MixPlan>(document_.session(), document_.mix_media());
    tapped_ = selection_.strip();
    plan->tap(tapped_, tap_);
    removed_taps_.clear();
    if (const Strip* strip = plan->timeline().strip(tapped_)) {
        for (const auto& part : strip->chain) {
            if (!is_repair(part.kind)) continue;
            auto& tap = removed_taps_[part.id];
            tap = std::make_shared<Tap>();
            plan->tap_removed(part.id, tap);
        }
    }
    plan->hear(heard_part_, heard_as_);
    plan_ = plan;
    player_.set_plan(document_.timeline().sample_rate > 0 ? plan_ : nullptr);
    show_picture(player_.position());
    if (side_->silences_shown()) canvas_->set_preview(side_->silences());
}

void RebuildView::build_headers() {
    const Timeline& r = document_.timeline();
    std::vector<int> ids;
    for (const auto& t : r.tracks) ids.push_back(t.id);
    for (const auto& b : r.buses) ids.push_back(b.id);
    if (ids == headed_) return;
    headed_ = ids;
    for (auto* header : headers_) {
        header->hide();
        header->deleteLater();
    }
    headers_.clear();
    const auto make = [&](int id, QWidget* parent) {
        auto* header = new StripHeader(
            document_, selection_,
            [this](int strip, const StripLane& target, double value) {
                set_strip_value(strip, target, value);
            },
            id, parent);
        headers_.push_back(header);
        return header;
    };
    for (const auto& t : r.tracks) {
        auto* header = make(t.id, heads_);
        header->setFixedHeight(kTrackHeight);
        heads_->layout()->addWidget(header);
        header->show();
    }
    for (const auto& b : r.buses) {
        auto* header = make(b.id, main_head_);
        header->setFixedSize(kHeadWidth, kTrackHeight);
        main_head_->layout()->addWidget(header);
        header->show();
    }
    auto* buses = qobject_cast<QHBoxLayout*>(main_head_->layout());
    for (int i = 0; i < buses->count(); ++i) {
        if (buses->itemAt(i)->spacerItem() != nullptr) delete buses->takeAt(i--);
    }
    buses->addStretch(1);
}

void RebuildView::set_strip_value(int strip_id, const StripLane& target, double value) {
    const Strip* strip = document_.timeline().strip(strip_id);
    if (strip == nullptr) return;
    const bool has_line = find_lane(*strip, target) != nullptr;
    if (has_line && (written_.strip != strip_id || !written_.target.same_target(target))) writer_.reset();
    written_ = {strip_id, target};
    const QString key = merge_key(strip_id, target);
    document_.edit_timeline(tr("Change a level or setting"), key, [&](Timeline& r) {
        Strip& s = *r.strip(strip_id);
        if (has_line) {
            for (auto& line : s.lines) {
                if (line.same_target(target)) writer_.write(line.points, player_.position(), value);
            }
            return;
        }
        switch (target.target) {
            case LaneTarget::Gain:
                s.gain_db = value;
                break;
            case LaneTarget::Pan:
                s.pan_percent = value;
                break;
            case LaneTarget::Mute:
                s.mute = value >= 0.5;
                break;
            case LaneTarget::Part:
                for (auto& part : s.chain) {
                    if (part.id == target.part)
                        part.values[static_cast<std::size_t>(target.parameter)] = value;
                }
                break;
        }
    });
}

// A line that was written by moving a control is thinned out when the control is let go or playing stops.
void RebuildView::finish_line() {
    if (writer_.wrote_a_stretch()) {
        const Written w = written_;
        const Strip* strip = document_.timeline().strip(w.strip);
        if (strip != nullptr) {
            const ValueRange range = range_of(*strip, w.target);
            const QString key = merge_key(w.strip, w.target);
            document_.edit_timeline(tr("Write a line"), key, [&](Timeline& r) {
                for (auto& line : r.strip(w.strip)->lines) {
                    if (line.same_target(w.target))
                        writer_.finish(line.points, (range.highest - range.lowest) / 400);
                }
            });
        }
    }
    writer_.reset();
}

void RebuildView::place_stems() {
    if (document_.place_stems(document_.timeline().empty() ? 0 : player_.position()))
        view_.show(0, view_.total());
}

void RebuildView::ask_file_for_track() {
    const QString file = QFileDialog::getOpenFileName(this, tr("A file onto the chosen track"));
    if (!file.isEmpty()) bring_to_track(file.toStdString());
}

void RebuildView::bring_to_track(const fs::path& file) {
    // A track of stems keeps to its stems: other material gets one of its own.
    const Track* track = document_.timeline().track(selection_.strip());
    const bool fits =
        track != nullptr && (track->clips.empty() || track->clips.front().clip_source == ClipSource::Whole);
    document_.place_file(file, fits ? track->id : 0, player_.position());
}

void RebuildView::ask_replacement(int clip) {
    const QString file = QFileDialog::getOpenFileName(this, tr("Music in place of the clip"));
    if (!file.isEmpty()) document_.replace_with(file.toStdString(), clip);
}

void RebuildView::split_at_playhead() {
    const std::int64_t at = player_.position();
    if (selection_.video_clip() != 0)
        return document_.edit_timeline(tr("Cut the picture"), {}, [&](Timeline& r) { split_picture(r, at); });
    const auto clips = selection_.clips();
    document_.edit_timeline(tr("Cut"), {}, [&](Timeline& r) {
        clips.empty() ? split_tracks(r, {}, at) : split_clips(r, clips, at);
    });
}

void RebuildView::trim_to_playhead(bool start) {
    const std::int64_t at = player_.position();
    const auto clips = selection_.clips();
    const auto length = document_.media_length_function();
    document_.edit_timeline(start ? tr("Trim the start") : tr("Trim the end"), {}, [&](Timeline& r) {
        for (const int id : clips) {
            const Clip* c = r.clip(id);
            if (c == nullptr) continue;
            start ? trim_start(r, id, at - c->start) : trim_end(r, id, at - c->end(), length);
        }
    });
}

void RebuildView::remove(bool close_gap) {
    if (canvas_->remove_point()) return;
    if (const int cut = selection_.video_clip(); cut != 0)
        return document_.edit_timeline(tr("Delete picture"), {},
                                       [&](Timeline& r) { delete_picture(r, cut, close_gap); });
    const auto clips = selection_.clips();
    if (clips.empty()) return emit said(tr("Choose clips first: click them."), false);
    document_.edit_timeline(tr("Delete clips"), {}, [&](Timeline& r) { delete_clips(r, clips, close_gap); });
}

void RebuildView::copy_behind() {
    const auto clips = selection_.clips();
    if (clips.empty()) return;
    std::vector<int> copies;
    document_.edit_timeline(tr("Copy clips"), {}, [&](Timeline& r) {
        std::int64_t end = 0;
        for (const int id : with_groups(r, clips)) end = std::max(end, r.clip(id)->end());
        copies = copy_clips(r, clips, end);
    });
    selection_.choose_clips(copies);
}

void RebuildView::mute_clips() {
    const auto clips = selection_.clips();
    document_.edit_timeline(tr("Mute clips"), {}, [&](Timeline& r) {
        const bool any =
            std::ranges::any_of(clips, [&](int id) { return r.clip(id) != nullptr && !r.clip(id)->mute; });
        for (const int id : clips) {
            if (Clip* c = r.clip(id)) c->mute = any;
        }
    });
}

void RebuildView::group_clips(bool together) {
    const auto clips = selection_.clips();
    document_.edit_timeline(together ? tr("Group") : tr("Ungroup"), {},
                            [&](Timeline& r) { together ? group(r, clips) : ungroup(r, clips); });
}

void RebuildView::cross_fade_to_next() {
    const auto clips = selection_.clips();
    const auto length = document_.media_length_function();
    bool done = false;
    document_.edit_timeline(tr("Cross-fade"), {},
                            [&](Timeline& r) { done = rivlen::cross_fade_to_next(r, clips, length); });
    if (!done)
        emit said(tr("A cross-fade needs a clip that touches the chosen one, and material beyond the cut."),
                  false);
}

void RebuildView::mute_loop_range() {
    const auto loop = document_.timeline().loop;
    if (!loop) return emit said(tr("Set a loop range first: drag over the ruler."), false);
    const std::array<LoopRange, 1> ranges = {*loop};
    const std::array<int, 1> track = {selection_.strip()};
    document_.edit_timeline(tr("Mute a range"), {}, [&](Timeline& r) { mute_ranges(r, ranges, track); });
}

void RebuildView::add_track() {
    int id = 0;
    document_.edit_timeline(tr("Add a track"), {}, [&](Timeline& r) {
        if (r.sample_rate == 0) r.sample_rate = 48000;
        id = rivlen::add_track(r, tr("Track %1").arg(r.tracks.size() + 1).toStdString());
    });
    selection_.choose_strip(id);
}

void RebuildView::add_bus() {
    int id = 0;
    document_.edit_timeline(tr("Add a bus"), {}, [&](Timeline& r) {
        id = rivlen::add_bus(r, tr("Bus %1").arg(r.buses.size()).toStdString());
    });
    selection_.choose_strip(id);
}

void RebuildView::remove_strip() {
    const int id = selection_.strip();
    document_.edit_timeline(tr("Remove a track or bus"), {}, [&](Timeline& r) {
        r.track(id) != nullptr ? remove_track(r, id) : remove_bus(r, id);
    });
}

void RebuildView::move_strip(int by) {
    const int id = selection_.strip();
    document_.edit_timeline(tr("Move a track"), {}, [&](Timeline& r) { move_track(r, id, by); });
}

void RebuildView::choose_next_strip(int by) {
    const auto at = std::ranges::find(headed_, selection_.strip());
    if (at == headed_.end()) return;
    const auto to = std::clamp<std::ptrdiff_t>(at - headed_.begin() + by, 0, std::ssize(headed_) - 1);
    selection_.choose_strip(headed_[static_cast<std::size_t>(to)]);
}

void RebuildView::toggle_line() {
    const int id = selection_.strip();
    selection_.show_line(
        id, selection_.line_of(id) ? std::nullopt : std::optional(StripLane{LaneTarget::Gain, 0, 0, {}}));
}

void RebuildView::toggle_snapping() {
    canvas_->set_snapping(!canvas_->snapping());
    snap_->setChecked(canvas_->snapping());
}

void RebuildView::toggle_groups() {
    document_.edit_timeline(tr("Edit groups"), {}, [](Timeline& r) { r.edit_groups ^= true; });
    groups_->setChecked(document_.timeline().edit_groups);
}

void RebuildView::toggle_silences() {
    side_->open_silences(!side_->silences_shown());
}

void RebuildView::toggle_loop() {
    document_.edit_timeline(tr("Loop"), {}, [](Timeline& r) { r.loop_on ^= true; });
    loop_->setChecked(document_.timeline().loop && document_.timeline().loop_on);
}

fs::path RebuildView::next_take() const {
    const fs::path folder = document_.path().empty() ? document_.work_folder() / "takes"
                                                     : document_.path().parent_path() /
                                                           (document_.path().stem().string() + " takes");
    std::error_code error;
    for (int n = 1;; ++n) {
        const fs::path file = folder / ("take " + std::to_string(n) + ".wav");
        if (!fs::exists(file, error)) return file;
    }
}

void RebuildView::toggle_record() {
    if (!recorder_.recording()) {
        const fs::path file = next_take();
        take_start_ = player_.position();
        const Track* track = document_.timeline().track(selection_.strip());
        take_track_ = track != nullptr &&
                              (track->clips.empty() || track->clips.front().clip_source == ClipSource::Whole)
                          ? track->id
                          : 0;
        const int rate = document_.timeline().sample_rate > 0 ? document_.timeline().sample_rate : 48000;
        if (const Status status = recorder_.start(file, rate); !status) {
            emit said(QString::fromStdString(status.error().message), true);
        } else {
            take_file_ = file;
            emit said(tr("Recording from %1…").arg(recorder_.device()), false);
            player_.play();
        }
    } else {
        player_.stop();
        const Status status = recorder_.stop();
        if (!status) {
            emit said(QString::fromStdString(status.error().message), true);
        } else {
            document_.place_file(take_file_, take_track_, take_start_);
        }
    }
    record_->setChecked(recorder_.recording());
}

void RebuildView::play_or_stop() {
    if (player_.playing()) {
        player_.stop();
        document_.close_step();
        finish_line();
    } else {
        player_.measure_anew();
        player_.play();
    }
}

void RebuildView::jog(int picture_frames) {
    const Timeline& r = document_.timeline();
    if (r.sample_rate == 0) return;
    const std::int64_t now = picture_frame_of(r, player_.position());
    player_.locate(frame_of_picture(r, std::max<std::int64_t>(0, now + picture_frames)));
}

void RebuildView::go_to_start() {
    const Timeline& r = document_.timeline();
    player_.locate(r.loop && r.loop_on ? r.loop->first : 0);
}

void RebuildView::zoom(double factor) {
    const int rate = std::max(1, document_.timeline().sample_rate);
    view_.zoom(factor, static_cast<double>(player_.position()) / rate);
}

void RebuildView::show_all() {
    view_.show(0, view_.total());
}

void RebuildView::show_loop() {
    const Timeline& r = document_.timeline();
    if (!r.loop) return;
    const double span = static_cast<double>(r.loop->last - r.loop->first) / r.sample_rate;
    view_.show(static_cast<double>(r.loop->first) / r.sample_rate - span * 0.1, span * 1.2);
}

void RebuildView::show_picture_window() {
    if (window_ && window_->isVisible()) return window_->hide();
    if (!window_) {
        window_ = std::make_unique<PicturePane>();
        window_->setObjectName("picture_window");
        window_->setWindowTitle(tr("Picture"));
        window_->resize(960, 540);
    }
    window_->show();
    show_picture(player_.position());
}

void RebuildView::show_picture(std::int64_t frame) {
    const Timeline& r = document_.timeline();
    const VideoClip* cut = r.sample_rate > 0 ? picture_at(r, frame) : nullptr;
    const double seconds =
        cut != nullptr ? static_cast<double>(cut->offset + frame - cut->start) / r.sample_rate : 0.0;
    for (PicturePane* pane : {picture_, window_.get()}) {
        if (pane == nullptr || (pane == window_.get() && !pane->isVisible())) continue;
        if (cut != nullptr) {
            pane->set_picture(cut->path);
            pane->show_time(seconds);
        } else {
            pane->set_picture({});
        }
        pane->setVisible(true);
    }
}

void RebuildView::follow_time() {
    const Timeline& r = document_.timeline();
    const std::int64_t at = player_.position();
    const bool playing = player_.playing();
    if (document_.playhead() != at) {
        document_.set_playhead(at);
        for (auto* header : headers_) header->follow_playhead(at);
        side_->follow_playhead();
    }
    if (r.sample_rate > 0) {
        const QString timecode = ruler_->timecode_of(at);
        if (timecode != time_->text()) time_->setText(timecode);
        samples_->setText(tr("%1 samples").arg(at));
        if (playing) view_.follow(static_cast<double>(at) / r.sample_rate);
        const auto late = playing ? std::llround(latency_seconds_ * r.sample_rate) : 0;
        show_picture(std::max<std::int64_t>(0, at - late));
    } else {
        time_->clear();
        samples_->clear();
    }
    canvas_->follow_playhead();
    ruler_->update();
    play_->setText(playing ? tr("Stop") : tr("Play"));
    if (!playing) finish_line();
    if (plan_) {
        for (auto* header : headers_) {
            StripMeter* meter = plan_->meter(header->strip());
            if (meter != nullptr)
                header->show_peak(meter->peak.exchange(0.0F, std::memory_order_relaxed),
                                  meter->reduction_db.exchange(0.0F, std::memory_order_relaxed));
        }
        side_->show_reduction([this](int part) {
            auto* reduction = plan_->reduction(part);
            return reduction != nullptr
                       ? static_cast<double>(reduction->exchange(0.0F, std::memory_order_relaxed))
                       : 0.0;
        });
    }
    if (side_->wants_spectrum() && ++ticks_ % 3 == 0 && tap_->written() != tap_shown_) {
        tap_shown_ = tap_->written();
        const int rate = std::max(1, r.sample_rate);
        side_->show_spectrum(spectrum_of(tap_->read(), rate));
        for (const auto& [part, tap] : removed_taps_)
            side_->show_removed(part, spectrum_of(tap->read(), rate));
    }
    const auto m = player_.meters();
    const auto shown = [](double value) {
        return value > -100 ? QString::number(value, 'f', 1) : QString(QChar(0x2014));
    };
    loudness_->setText(tr("M %1   S %2   I %3 LUFS   peak %4 dBTP")
                           .arg(shown(m.momentary_lufs), shown(m.short_term_lufs), shown(m.integrated_lufs),
                                shown(m.true_peak_dbtp)));
}

void RebuildView::write_mix(const fs::path& file) {
    if (document_.timeline().end() == 0) return emit said(tr("There is nothing to write yet."), false);
    make_plan();
    auto report = std::make_shared<MixReport>();
    jobs_.start(
        tr("Writing the mix"),
        [plan = plan_, file, report](const JobControl& job) -> Status {
            auto done = export_mix(plan, file, job);
            if (!done) return done.error();
            *report = *done;
            return {};
        },
        [this, file, report](const Status& status) {
            if (!status)
                return emit said(QString::fromStdString(status.error().message),
                                 status.error().kind != ErrorKind::Cancelled);
            emit said(tr("\"%1\" written: %2 LUFS, true peak %3 dBTP.")
                          .arg(QString::fromStdString(file.filename().string()))
                          .arg(report->loudness.integrated_lufs, 0, 'f', 1)
                          .arg(report->loudness.true_peak_dbtp, 0, 'f', 1),
                      false);
        });
}

}  // namespace rivlen::app
