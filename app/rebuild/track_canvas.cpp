// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/track_canvas.h"

#include <QMouseEvent>
#include <QPainterPath>
#include <cmath>

#include "app/widgets/theme.h"
#include "app/widgets/time_input.h"

namespace rivlen::app {

namespace {
constexpr double kShownDepthDb = 18;  // of ducking, from the top of a row to its bottom
}  // namespace

TrackCanvas::TrackCanvas(Document& document, MixPlayer& player, TimeView& view, Selection& selection,
                         LevelWatch& levels, QWidget* parent)
    : QWidget(parent),
      document_(document),
      player_(player),
      view_(view),
      selection_(selection),
      levels_(levels),
      painter_(document),
      lane_([this](const QString& name, bool drag, const std::function<void(LaneEditor::Points&)>& act) {
          change_lane(name, drag, act);
      }) {
    new TimeInput(view_, this,
                  {[this](double factor, double) {
                       emit height_wanted(static_cast<int>(std::lround(row_height_ / factor)));
                       return true;
                   },
                   [this](double steps) {
                       emit scroll_wanted(-steps);
                       return true;
                   }});
    setAccessibleName(tr("Tracks over time"));
    setMouseTracking(true);
    setFocusPolicy(Qt::ClickFocus);
    const auto redraw = qOverload<>(&QWidget::update);
    connect(&view_, &TimeView::changed, this, redraw);
    connect(&painter_, &ClipPainter::ready, this, redraw);
    connect(&selection_, &Selection::changed, this, redraw);
    connect(&levels_, &LevelWatch::changed, this, redraw);
    connect(&document_, &Document::material_changed, this, redraw);
    connect(&document_, &Document::session_changed, this, [this] {
        fit_height();
        update();
    });
}

void TrackCanvas::fit_height() {
    setFixedHeight(std::max(1, static_cast<int>(rows())) * row_height_);
}

void TrackCanvas::set_row_height(int height) {
    row_height_ = std::clamp(height, kLeastTrackHeight, kMostTrackHeight);
    fit_height();
    update();
}

std::vector<int> TrackCanvas::strips_of(const Timeline& timeline) {
    std::vector<int> out;
    for (const auto& track : timeline.tracks) out.push_back(track.id);
    for (std::size_t b = 1; b < timeline.buses.size(); ++b) out.push_back(timeline.buses[b].id);
    if (timeline.main_bus() != 0) out.push_back(timeline.main_bus());
    return out;
}

std::size_t TrackCanvas::rows() const {
    return document_.timeline().tracks.size() + document_.timeline().buses.size();
}

int TrackCanvas::strip_at(std::size_t row) const {
    const Timeline& r = document_.timeline();
    if (row < r.tracks.size()) return r.tracks[row].id;
    const std::size_t bus = row - r.tracks.size() + 1;  // the main bus, which is the first, comes last
    return bus < r.buses.size() ? r.buses[bus].id : r.main_bus();
}

int TrackCanvas::row_of(int strip) const {
    for (std::size_t row = 0; row < rows(); ++row) {
        if (strip_at(row) == strip) return static_cast<int>(row);
    }
    return -1;
}

QRect TrackCanvas::row_rect(std::size_t row) const {
    return {0, static_cast<int>(row) * row_height_, width(), row_height_ - 3};
}

QRectF TrackCanvas::clip_rect(int id) const {
    const auto& tracks = document_.timeline().tracks;
    for (std::size_t t = 0; t < tracks.size(); ++t) {
        for (const auto& c : tracks[t].clips) {
            if (c.id != id) continue;
            const double left = view_.frame_x(c.start, document_.timeline().sample_rate, width());
            const double right = view_.frame_x(c.end(), document_.timeline().sample_rate, width());
            return {left, static_cast<double>(row_rect(t).top()), right - left,
                    static_cast<double>(row_rect(t).height())};
        }
    }
    return {};
}

std::int64_t TrackCanvas::frame_at(double x) const {
    const double seconds = std::max(0.0, view_.to_seconds(x, width()));
    return static_cast<std::int64_t>(std::llround(seconds * std::max(1, document_.timeline().sample_rate)));
}

int TrackCanvas::row_at(double y) const {
    const int row = static_cast<int>(std::floor(y / row_height_));
    return row >= 0 && row < static_cast<int>(rows()) ? row : -1;
}

void TrackCanvas::set_preview(std::vector<LoopRange> ranges) {
    preview_ = std::move(ranges);
    update();
}

void TrackCanvas::follow_playhead() {
    const double x =
        view_.frame_x(player_.position(), std::max(1, document_.timeline().sample_rate), width());
    if (std::abs(x - playhead_x_) < 0.05) return;
    update(QRect(static_cast<int>(playhead_x_) - 3, 0, 7, height()));
    playhead_x_ = x;
    update(QRect(static_cast<int>(x) - 3, 0, 7, height()));
}

void TrackCanvas::paintEvent(QPaintEvent* event) {
    QPainter painter(this);
    const QRect visible = event->rect();
    painter.fillRect(visible, colour::kGround);
    const Timeline& r = document_.timeline();
    if (rows() == 0) {
        painter.setPen(colour::kDim);
        painter.drawText(
            rect(), Qt::AlignCenter,
            tr("Place the stems of a recording with Shift+P, or bring a file onto a track with Shift+B."));
        return;
    }
    complete_ = true;
    for (std::size_t row = 0; row < rows(); ++row) {
        if (row_rect(row).intersects(visible)) draw_row(painter, row, visible);
    }
    const int rate = std::max(1, r.sample_rate);
    for (const auto& range : preview_) {
        const double left = view_.frame_x(range.first, rate, width());
        const double right = view_.frame_x(range.last, rate, width());
        painter.fillRect(QRectF(left, 0, right - left, height()), QBrush(colour::kWarn, Qt::BDiagPattern));
    }
    if (r.loop) {
        const double left = view_.frame_x(r.loop->first, rate, width());
        const double right = view_.frame_x(r.loop->last, rate, width());
        painter.setPen(QPen(r.loop_on ? colour::kAct : colour::kDim, 1, Qt::DashLine));
        painter.drawLine(QPointF(left, 0), QPointF(left, height()));
        painter.drawLine(QPointF(right, 0), QPointF(right, height()));
    }
    playhead_x_ = view_.frame_x(player_.position(), rate, width());
    painter.setPen(QPen(colour::kAct, 1.4));
    painter.drawLine(QPointF(playhead_x_, 0), QPointF(playhead_x_, height()));
}

void TrackCanvas::draw_row(QPainter& painter, std::size_t row, const QRect& visible) {
    const Timeline& r = document_.timeline();
    const QRect rect = row_rect(row);
    const int strip = strip_at(row);
    painter.fillRect(rect.intersected(visible),
                     strip == selection_.strip() ? colour::kRaised : colour::kPanel);
    if (row < r.tracks.size()) {
        draw_clips(painter, r.tracks[row], rect, visible);
        if (r.tracks[row].ducking.acts()) draw_ducking(painter, r.tracks[row], rect, visible);
    } else if (strip == r.main_bus()) {
        draw_loudness(painter, rect, visible);
    }
    draw_line(painter, row, visible);
}

void TrackCanvas::set_plan(const MixPlan* plan) {
    played_.clear();
    for (std::size_t t = 0; plan != nullptr && t < plan->timeline().tracks.size(); ++t) {
        for (const PlannedClip& planned : plan->clips(t))
            played_.insert_or_assign(planned.clip.id, planned.clip);
    }
    update();
}

// As long as the plan has it where it is: it is made a moment after an edit.
const Clip& TrackCanvas::as_played(const Clip& clip) const {
    const auto found = played_.find(clip.id);
    if (found == played_.end()) return clip;
    const Clip& played = found->second;
    const bool in_step = played.start - played.offset == clip.start - clip.offset &&
                         played.clip_source == clip.clip_source && played.mute == clip.mute &&
                         played.gain_db == clip.gain_db;
    const bool same_edges = played.start <= clip.start && played.end() >= clip.end();
    // A fade that was set is drawn as it is set, also while it is dragged.
    const auto as_set = [](const Fade& set, const Fade& heard) { return set.frames == 0 || set == heard; };
    const bool same_fades = as_set(clip.fade_in, played.fade_in) && as_set(clip.fade_out, played.fade_out);
    return in_step && same_edges && same_fades ? played : clip;
}

void TrackCanvas::draw_clips(QPainter& painter, const Track& track, const QRect& row, const QRect& visible) {
    const auto& tracks = document_.timeline().tracks;
    const bool any_solo = std::ranges::any_of(tracks, [](const Track& t) { return t.strip.solo; });
    const bool audible = !track.strip.mute && (!any_solo || track.strip.solo);
    // An earlier clip may reach in from before the screen; those behind it end the row.
    const std::int64_t last = frame_at(visible.right() + 2);
    for (const auto& clip : track.clips) {
        if (clip.start > last) break;
        if (!painter_.draw(painter, clip, as_played(clip), row, view_, width(), visible,
                           selection_.has_clip(clip.id), audible))
            complete_ = false;
    }
}

// Short-term loudness from -40 to -6 LUFS, as far as it was played.
void TrackCanvas::draw_loudness(QPainter& painter, const QRect& row, const QRect& visible) const {
    constexpr double kLowestLufs = -40, kHighestLufs = -6;
    const auto y_of = [&](double lufs) {
        const double part =
            (std::clamp(lufs, kLowestLufs, kHighestLufs) - kLowestLufs) / (kHighestLufs - kLowestLufs);
        return row.bottom() - 4 - part * (row.height() - 8);
    };
    painter.setFont(number_font());
    for (const double lufs : {-36.0, -23.0, -14.0}) {
        painter.setPen(QPen(colour::kLine, 1, Qt::DotLine));
        painter.drawLine(QPointF(visible.left(), y_of(lufs)), QPointF(visible.right(), y_of(lufs)));
        painter.setPen(colour::kDim);
        painter.drawText(QPointF(4, y_of(lufs) - 2), tr("%1 LUFS").arg(lufs));
    }
    if (loudness_ == nullptr) return;
    QPainterPath path;
    bool drawing = false;
    for (int x = std::max(0, visible.left() - 1); x <= std::min(width(), visible.right() + 1); ++x) {
        const auto loudest = loudness_->loudest(frame_at(x), std::max(frame_at(x) + 1, frame_at(x + 1)));
        if (loudest) drawing ? path.lineTo(x, y_of(*loudest)) : path.moveTo(x, y_of(*loudest));
        drawing = loudest.has_value();
    }
    painter.setRenderHint(QPainter::Antialiasing);
    painter.strokePath(path, QPen(colour::kText, 1.4));
    painter.setRenderHint(QPainter::Antialiasing, false);
}

LaneScale TrackCanvas::lane_scale(std::size_t row, const StripLane& target) const {
    const Timeline& r = document_.timeline();
    const ValueRange range = range_of(*r.strip(strip_at(row)), target);
    const QRect rect = row_rect(row);
    const int rate = std::max(1, r.sample_rate);
    LaneScale scale;
    scale.area = QRectF(0, rect.top() + kNameZone + 3, width(), rect.height() - kNameZone - 7);
    scale.lowest = range.lowest;
    scale.highest = range.highest;
    scale.step = target.target == LaneTarget::Mute ? 1 : 0;
    scale.unit = QString::fromUtf8(range.unit);
    scale.x_of = [this, rate](std::int64_t frame) { return view_.frame_x(frame, rate, width()); };
    scale.frame_at = [this](double x) { return frame_at(x); };
    return scale;
}

QPointF TrackCanvas::position_of(int strip, const StripLane& target, const Breakpoint& point) const {
    const int row = row_of(strip);
    return row < 0 ? QPointF() : lane_scale(static_cast<std::size_t>(row), target).position_of(point);
}

// The line that is open on this track or bus.
void TrackCanvas::draw_line(QPainter& painter, std::size_t row, const QRect& visible) {
    const int strip_id = strip_at(row);
    const auto target = selection_.line_of(strip_id);
    if (!target) return;
    const Strip& strip = *document_.timeline().strip(strip_id);
    painter.setFont(number_font());
    draw_lane(painter, lane_scale(row, *target), points_of(strip, *target), value_at(strip, *target, 0),
              visible.left() - 1, visible.right() + 1,
              strip_id == lane_strip_ ? lane_.chosen() : std::nullopt);
}

void TrackCanvas::draw_ducking(QPainter& painter, const Track& track, const QRect& rect,
                               const QRect& visible) const {
    const auto& gains = levels_.duck_gains_of(track.id);
    const double top = rect.top() + kNameZone + 3;
    const double depth = std::max(kShownDepthDb, -track.ducking.value(DuckSetting::Depth));
    QPainterPath path;
    for (int x = std::max(0, visible.left() - 1); x <= std::min(width(), visible.right() + 1); ++x) {
        const auto first = static_cast<std::size_t>(frame_at(x) / kDuckStep);
        const auto end = std::min(gains.size(), static_cast<std::size_t>(frame_at(x + 1) / kDuckStep) + 1);
        if (first >= end) continue;
        float lowest = 0;
        for (std::size_t k = first; k < end; ++k) lowest = std::min(lowest, gains[k]);
        const QPointF at(x, top - static_cast<double>(lowest) / depth * (rect.bottom() - 3 - top));
        path.elementCount() == 0 ? path.moveTo(at) : path.lineTo(at);
    }
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(colour::kWarn, 1.6));
    painter.drawPath(path);
    painter.setRenderHint(QPainter::Antialiasing, false);
}

}  // namespace rivlen::app
