// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/track_canvas.h"

#include <QMouseEvent>
#include <QPainterPath>
#include <QWheelEvent>
#include <cmath>

#include "app/widgets/theme.h"

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
        setFixedHeight(
            std::max(kTrackHeight, static_cast<int>(document_.timeline().tracks.size()) * kTrackHeight));
        update();
    });
}

QRect TrackCanvas::row_rect(std::size_t track) const {
    return {0, static_cast<int>(track) * kTrackHeight, width(), kTrackHeight - 3};
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
    const int row = static_cast<int>(std::floor(y / kTrackHeight));
    return row >= 0 && row < static_cast<int>(document_.timeline().tracks.size()) ? row : -1;
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
    if (r.tracks.empty()) {
        painter.setPen(colour::kDim);
        painter.drawText(
            rect(), Qt::AlignCenter,
            tr("Place the stems of a recording with Shift+P, or bring a file onto a track with Shift+B."));
        return;
    }
    complete_ = true;
    for (std::size_t t = 0; t < r.tracks.size(); ++t) {
        if (row_rect(t).intersects(visible)) draw_row(painter, t, visible);
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
    const Track& track = r.tracks[row];
    const QRect rect = row_rect(row);
    painter.fillRect(rect.intersected(visible),
                     track.id == selection_.strip() ? colour::kRaised : colour::kPanel);
    const bool any_solo = std::ranges::any_of(r.tracks, [](const Track& t) { return t.strip.solo; });
    const bool audible = !track.strip.mute && (!any_solo || track.strip.solo);
    // An earlier clip may reach in from before the screen; those behind it end the row.
    const std::int64_t last = frame_at(visible.right() + 2);
    for (const auto& clip : track.clips) {
        if (clip.start > last) break;
        if (!painter_.draw(painter, clip, rect, view_, width(), visible, selection_.has_clip(clip.id),
                           audible))
            complete_ = false;
    }
    draw_line(painter, row, visible);
}

LaneScale TrackCanvas::lane_scale(std::size_t row, const StripLane& target) const {
    const Timeline& r = document_.timeline();
    const ValueRange range = range_of(r.tracks[row].strip, target);
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
    const auto& tracks = document_.timeline().tracks;
    const auto at = std::ranges::find(tracks, strip, &Track::id);
    if (at == tracks.end()) return {};
    return lane_scale(static_cast<std::size_t>(at - tracks.begin()), target).position_of(point);
}

// The gain of ducking, and the line that is open on this track.
void TrackCanvas::draw_line(QPainter& painter, std::size_t row, const QRect& visible) {
    const Track& track = document_.timeline().tracks[row];
    if (track.ducking.acts()) draw_ducking(painter, row, visible);
    const auto target = selection_.line_of(track.id);
    if (!target) return;
    painter.setFont(number_font());
    draw_lane(painter, lane_scale(row, *target), points_of(track.strip, *target),
              value_at(track.strip, *target, 0), visible.left() - 1, visible.right() + 1,
              track.id == lane_strip_ ? lane_.chosen() : std::nullopt);
}

void TrackCanvas::draw_ducking(QPainter& painter, std::size_t row, const QRect& visible) const {
    const Track& track = document_.timeline().tracks[row];
    const auto& gains = levels_.duck_gains_of(track.id);
    const QRect rect = row_rect(row);
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

void TrackCanvas::wheelEvent(QWheelEvent* event) {
    if (event->modifiers() & Qt::ControlModifier) {
        event->ignore();  // the area scrolls up and down
        return;
    }
    view_.wheel(*event, width());
    event->accept();
}

}  // namespace rivlen::app
