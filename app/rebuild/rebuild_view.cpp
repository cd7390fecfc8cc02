// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/rebuild_view.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/kept_splitter.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/delivery/export_mix.h"
#include "core/project/markers.h"
#include "core/workflow/placing.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

constexpr int kSideWidth = 316, kLeastSideWidth = 290, kLeastTracksWidth = 560;
constexpr double kRoomBehind = 1.05;  // of the last clip

}  // namespace

RebuildView::RebuildView(Document& document, JobList& jobs, MixPlayer& player, QWidget* parent)
    : QWidget(parent),
      document_(document),
      jobs_(jobs),
      player_(player),
      levels_(document, jobs),
      clip_acts_(document, selection_, player),
      room_tone_(document, jobs, selection_),
      aligning_(document, jobs, selection_),
      pulling_(document, jobs, selection_),
      listening_(document, jobs, player),
      following_(document, jobs, selection_),
      take_(document, selection_, player),
      writer_(document, player),
      played_(document, player, selection_),
      setting_(
          [this](int strip, const StripLane& target, double value) { writer_.set(strip, target, value); }) {
    setObjectName("rebuild_view");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* middle = new KeptSplitter(Qt::Horizontal, "rebuild_columns", this);
    auto* left = new QWidget(middle);
    auto* left_column = new QVBoxLayout(left);
    left_column->setContentsMargins(0, 0, 0, 0);
    left_column->setSpacing(4);
    area_ = new TrackArea(document_, player_, view_, selection_, levels_, setting_, build_tools(), left);
    left_column->addWidget(area_, 1);
    chain_ = new ChainRow(document_, selection_, setting_, left);
    left_column->addWidget(chain_);
    middle->addWidget(left);
    middle->addWidget(build_side());
    middle->setStretchFactor(0, 1);
    middle->setStretchFactor(1, 0);
    middle->restore({kLeastTracksWidth, kSideWidth});
    column->addWidget(middle, 1);
    transport_ = new MixTransport(this);
    column->addWidget(transport_);
    connect(&played_, &PlayedPlan::made, this, [this] {
        show_picture(player_.position());
        area_->canvas().set_plan(played_.plan().get());
        if (side_->silences_shown()) area_->canvas().set_preview(side_->silences());
    });
    connect(&document_, &Document::session_changed, this, &RebuildView::follow_session);
    connect(side_, &Inspector::silences_changed, this, [this] {
        area_->canvas().set_preview(side_->silences());
        transport_->show_silences(side_->silences_shown());
    });
    connect(chain_, &ChainRow::hearing_wanted, &played_, &PlayedPlan::hear);
    connect(chain_, &ChainRow::look_wanted, this, &RebuildView::look_at);
    connect(chain_, &ChainRow::proposal_wanted, this, &RebuildView::propose);
    connect(chain_, &ChainRow::noise_print_wanted, this, &RebuildView::learn_noise);
    connect(chain_, &ChainRow::said, this, &RebuildView::said);
    connect(&selection_, &Selection::changed, &played_, &PlayedPlan::follow_selection);
    connect(side_, &Inspector::said, this, &RebuildView::said);
    connect(side_, &Inspector::replace_wanted, this, &RebuildView::ask_replacement);
    connect(&clip_acts_, &ClipActs::said, this, &RebuildView::said);
    connect(&room_tone_, &RoomToneActs::said, this, &RebuildView::said);
    connect(&aligning_, &Aligning::said, this, &RebuildView::said);
    connect(&pulling_, &Pulling::said, this, &RebuildView::said);
    connect(&listening_, &Listening::said, this, &RebuildView::said);
    connect(&following_, &FollowActs::said, this, &RebuildView::said);
    connect(side_, &Inspector::box_wanted, this, [this] {
        for (PicturePane* pane : {picture_, window_.get()}) {
            if (pane != nullptr) pane->take_box();
        }
        emit said(tr("Draw a box around what is to be followed."), false);
    });
    const auto show_listening = [this] {
        transport_->show_listening(listening_.monitoring(), listening_.has_loudspeakers());
    };
    connect(&listening_, &Listening::changed, this, show_listening);
    show_listening();
    connect(transport_, &MixTransport::listening_wanted, &listening_, &Listening::set_monitoring);
    connect(&take_, &TakeRecording::said, this, &RebuildView::said);
    connect(&take_, &TakeRecording::measured, &played_, &PlayedPlan::make);
    connect(&take_, &TakeRecording::changed, this,
            [this] { transport_->show_recording(take_.recorder().recording()); });
    connect(transport_, &MixTransport::play_wanted, this, &RebuildView::play_or_stop);
    connect(transport_, &MixTransport::loop_wanted, this, &RebuildView::toggle_loop);
    connect(transport_, &MixTransport::record_wanted, &take_, &TakeRecording::toggle);
    connect(transport_, &MixTransport::silences_wanted, this, &RebuildView::toggle_silences);
    follow_session();
}

RebuildView::~RebuildView() = default;

QWidget* RebuildView::build_tools() {
    auto* tools = new QWidget(this);
    tools->setFixedWidth(TrackArea::kHeadWidth);
    auto* grid = new QGridLayout(tools);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(3);
    auto* stems =
        make_button(tr("Place stems"), "place_stems",
                    tr("The stems of the current recording as tracks, from the playhead on."), tools);
    auto* file = make_button(tr("Add file…"), "add_file",
                             tr("A file onto the chosen track, from the playhead on."), tools);
    snap_ =
        make_button(tr("Snap"), "snap", tr("Clips snap to edits, loop, playhead and picture frames."), tools);
    groups_ = make_button(tr("Groups"), "groups", tr("An edit of a clip is an edit of its group."), tools);
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
    return tools;
}

QWidget* RebuildView::build_side() {
    auto* side = new QWidget(this);
    side->setMinimumWidth(kLeastSideWidth);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    picture_ = new PicturePane(side);
    picture_->setMinimumHeight(0);
    connect_pointing(picture_);
    picture_->setMaximumHeight(178);
    side_ = new Inspector(document_, selection_, levels_, setting_, side);
    side_->setObjectName("mix_side");
    column->addWidget(picture_);
    column->addWidget(side_, 1);
    return side;
}

void RebuildView::follow_session() {
    const Timeline& r = document_.timeline();
    selection_.follow(r);
    area_->follow_session();
    snap_->setChecked(area_->canvas().snapping());
    groups_->setChecked(r.edit_groups);
    transport_->follow_session(r);
    player_.set_loop(r.loop_on ? r.loop : std::nullopt);
    const double total = r.sample_rate > 0 ? static_cast<double>(r.end()) / r.sample_rate * kRoomBehind : 1.0;
    if (total_ == 0 || total > total_ || total < 0.5 * total_) {
        total_ = total;
        view_.set_total(total);
        view_.settle();
    }
    played_.make_soon();
}

void RebuildView::place_stems() {
    if (document_.place_stems({document_.timeline().empty() ? 0 : player_.position()}))
        view_.show(0, view_.total());
}

void RebuildView::ask_file_for_track() {
    if (const auto file = ask_file(this, tr("A file onto the chosen track"), FileKind::Recording))
        bring_to_track(*file);
}

void RebuildView::bring_to_track(const fs::path& file) {
    document_.place_file(file, track_for_file(document_.timeline(), selection_.strip()),
                         {player_.position()});
}

void RebuildView::ask_replacement(int clip) {
    if (const auto file = ask_file(this, tr("Music in place of the clip"), FileKind::Recording))
        document_.replace_with(*file, clip);
}

void RebuildView::remove(bool close_gap) {
    if (!area_->canvas().remove_point()) clip_acts_.remove(close_gap);
}

void RebuildView::choose_next_strip(int by) {
    selection_.choose_strip(area_->strip_beside(selection_.strip(), by));
}

void RebuildView::toggle_line() {
    const int id = selection_.strip();
    selection_.show_line(
        id, selection_.line_of(id) ? std::nullopt : std::optional(StripLane{LaneTarget::Gain, 0, 0, {}}));
}

void RebuildView::toggle_snapping() {
    area_->canvas().set_snapping(!area_->canvas().snapping());
    snap_->setChecked(area_->canvas().snapping());
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
    transport_->follow_session(document_.timeline());
}

void RebuildView::play_or_stop() {
    if (player_.playing()) {
        player_.stop();
        document_.close_step();
        writer_.finish();
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

void RebuildView::toggle_marker_here() {
    if (document_.timeline().sample_rate == 0) return;
    document_.edit_timeline(tr("Marker"), {}, [this](Timeline& r) { toggle_marker(r, player_.position()); });
}

void RebuildView::go_to_marker(bool next) {
    const Timeline& r = document_.timeline();
    const Marker* there = next ? next_marker(r, player_.position()) : previous_marker(r, player_.position());
    if (there != nullptr) player_.locate(there->frame);
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
        connect_pointing(window_.get());
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
    }
    picture_->setVisible(!r.picture.empty());  // else its place is the column's
}

// While the page of a placed strip's space is in front, the picture shows its place and takes another.
void RebuildView::follow_place_in_picture() {
    const Timeline& r = document_.timeline();
    const int id = selection_.strip();
    const Strip* strip = r.strip(id);
    const bool placing = strip != nullptr && r.is_placed(id) && side_->space_shown() != nullptr;
    const SpaceSection* space = side_->space_shown();
    const bool all_around = r.screen_width_deg > kMostScreenDeg;
    for (PicturePane* pane : {picture_, window_.get()}) {
        if (pane == nullptr) continue;
        pane->show_map(space != nullptr && all_around ? space->field_over_picture() : QImage());
        pane->set_pointing(placing);
        std::optional<QPointF> mark;
        if (placing) {
            const auto at = [&](LaneTarget target) {
                return value_at(*strip, {target, 0, 0, {}}, playhead_.count);
            };
            const Direction direction{at(LaneTarget::Azimuth), at(LaneTarget::Elevation)};
            if (const auto point = point_of_direction(direction, r.screen_width_deg, pane->aspect()))
                mark = QPointF(point->x, point->y);
        }
        pane->show_mark(mark);
    }
}

// Elevation is left alone where nothing is heard of it.
void RebuildView::place_in_picture(const PicturePane& pane, QPointF at) {
    const Timeline& r = document_.timeline();
    const int id = selection_.strip();
    if (r.strip(id) == nullptr || !r.is_placed(id)) return;
    const Direction direction = direction_of_point({at.x(), at.y()}, r.screen_width_deg, pane.aspect());
    const bool height = has_height(r.layout_behind(id));
    setting_(id, {LaneTarget::Azimuth, 0, 0, {}}, std::round(direction.azimuth_deg * 10) / 10);
    if (height)
        setting_(id, {LaneTarget::Elevation, 0, 0, {}}, std::round(direction.elevation_deg * 10) / 10);
}

void RebuildView::connect_pointing(PicturePane* pane) {
    connect(pane, &PicturePane::pointed, this, [this, pane](QPointF at) { place_in_picture(*pane, at); });
    connect(pane, &PicturePane::boxed, this, [this, pane](QRectF box) {
        player_.stop();
        following_.follow(box, player_.position(), pane->aspect());
    });
    connect(pane, &PicturePane::pointing_ended, this, [this] { document_.close_step(); });
}

// The pointer lies over controls, or keys move one.
bool RebuildView::hands_on() const {
    if (area_->hand_is_near() || side_->underMouse() || chain_->underMouse()) return true;
    const QWidget* focus = QApplication::focusWidget();
    return focus != nullptr && isAncestorOf(focus) && qobject_cast<const ParameterSlider*>(focus) != nullptr;
}

void RebuildView::follow_time() {
    const Timeline& r = document_.timeline();
    const std::int64_t at = player_.position();
    const bool playing = player_.playing();
    player_.set_hands_on(hands_on());
    if (playhead_ != SessionFrame{at}) {
        playhead_ = {at};
        area_->follow_playhead(playhead_);
        side_->follow_playhead(playhead_);
        chain_->follow_playhead(playhead_);
    }
    transport_->show_position(r.sample_rate > 0 ? area_->ruler().timecode_of(at) : QString(), at);
    if (r.sample_rate > 0) {
        if (playing) view_.follow(static_cast<double>(at) / r.sample_rate);
        const auto late = playing ? std::llround(latency_seconds_ * r.sample_rate) : 0;
        show_picture(std::max<std::int64_t>(0, at - late));
    }
    area_->canvas().follow_playhead();
    area_->ruler().update();
    if (playing) area_->overview().update();
    transport_->show_playing(playing);
    if (!playing) writer_.finish();
    played_.show_levels(area_->headers(), *chain_);
    if (SpaceSection* space = side_->space_shown()) {
        played_.show_space(*space);
        std::vector<Level> peaks_dbtp;
        for (std::size_t c = 0; selection_.strip() == r.main_bus() && c < channels_of(r.main_layout()); ++c)
            peaks_dbtp.push_back(player_.true_peak_dbtp(c));
        space->show_true_peaks(peaks_dbtp);
    }
    follow_place_in_picture();
    const auto meters = player_.meters();
    transport_->show_loudness(meters);
    if (playing && meters.short_term_lufs) area_->add_loudness(at, *meters.short_term_lufs);
}

void RebuildView::write_mix(const fs::path& file) {
    if (document_.timeline().end() == 0) return emit said(tr("There is nothing to write yet."), false);
    played_.make();
    jobs_.start_for<MixReport>(
        tr("Writing the mix"),
        [plan = played_.plan(), file](const JobControl& job) { return export_mix(plan, file, job); },
        [this, file](const Result<MixReport>& report) {
            if (!report)
                return emit said(text(report.error().message), report.error().kind != ErrorKind::Cancelled);
            emit said(tr("\"%1\" written: %2, true peak %3.")
                          .arg(QString::fromStdString(file.filename().string()))
                          .arg(level_text(report->loudness.integrated_lufs, "LUFS"))
                          .arg(level_text(report->loudness.true_peak_dbtp, "dBTP")),
                      false);
        });
}

}  // namespace rivlen::app
