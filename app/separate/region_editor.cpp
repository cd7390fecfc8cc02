// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/region_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/dsp/note_name.h"

namespace rivlen::app {

namespace {

constexpr double kBegunSeconds = 0.1, kBegunSemitones = 6, kBegunHz = 1000;  // on either side of the middle
constexpr double kNudgeSeconds = 0.01, kNudgeSemitones = 1, kFurther = 10;
constexpr double kPartialsApart = 6;  // pixels
constexpr double kStrokePixels = 3;   // between two points of a path

}  // namespace

RegionEditor::RegionEditor(Document& document, Correcting& correcting, TimeView& view, LaneCanvas& lanes)
    : QWidget(&lanes), document_(document), correcting_(correcting), view_(view), lanes_(lanes) {
    setObjectName("region_editor");
    setAccessibleName(tr("Regions over the lanes"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    lanes.installEventFilter(this);
    const auto redraw = qOverload<>(&QWidget::update);
    connect(&view_, &TimeView::changed, this, redraw);
    connect(&lanes_, &LaneCanvas::range_changed, this, redraw);
    connect(&correcting_, &Correcting::changed, this, &RegionEditor::follow);
    follow();
}

void RegionEditor::follow() {
    const bool taken = correcting_.tool() != Correcting::Tool::None;
    setAttribute(Qt::WA_TransparentForMouseEvents, !taken);
    setCursor(taken ? Qt::CrossCursor : Qt::ArrowCursor);
    update();
}

void RegionEditor::take_tool(Correcting::Tool tool, double seconds) {
    if (correcting_.tool() == tool) tool = Correcting::Tool::None;
    correcting_.set_tool(tool);
    if (tool == Correcting::Tool::None) return lanes_.setFocus();
    setFocus();
    if (correcting_.region() != nullptr || !document_.source()) return;
    Region region = correcting_.shown().region;
    region.shape = tool == Correcting::Tool::Brush ? RegionShape::Brush : RegionShape::Box;
    const double first = std::max(0.0, seconds - kBegunSeconds);
    const double factor = std::exp2(kBegunSemitones / 12);
    if (tool == Correcting::Tool::Brush) {
        region.points = {{seconds, kBegunHz}};
    } else if (tool == Correcting::Tool::Box) {
        region.points = {{first, kBegunHz / factor}, {first + 2 * kBegunSeconds, kBegunHz * factor}};
    } else {
        region.shape = RegionShape::Outline;
        region.points = {{first, kBegunHz},
                         {first + kBegunSeconds, kBegunHz * factor},
                         {first + 2 * kBegunSeconds, kBegunHz},
                         {first + kBegunSeconds, kBegunHz / factor}};
    }
    correcting_.set_region(std::move(region));
}

RegionPoint RegionEditor::point_at(int lane, QPointF at) const {
    return {std::clamp(view_.to_seconds(at.x(), width()), 0.0, view_.total()), lanes_.hz_at(lane, at.y())};
}

QPointF RegionEditor::position_of(int lane, const RegionPoint& point) const {
    return {view_.to_x(point.seconds, width()), lanes_.y_of(lane, point.hz)};
}

// The border in the middle of its soft edge.
QPainterPath RegionEditor::path_of(const Region& region, int lane) const {
    QPainterPath path;
    if (region.points.empty()) return path;
    if (region.shape == RegionShape::Box) {
        path.addRect(
            QRectF(position_of(lane, region.points[0]), position_of(lane, region.points[1])).normalized());
        return path;
    }
    if (region.shape == RegionShape::Outline) {
        QPolygonF polygon;
        for (const auto& point : region.points) polygon << position_of(lane, point);
        path.addPolygon(polygon);
        path.closeSubpath();
        return path;
    }
    return stroke_of(region, lane);
}

// The brush is a circle where it is measured in its own reach in time and pitch: stroked there, then laid
// out.
QPainterPath RegionEditor::stroke_of(const Region& region, int lane) const {
    const double seconds = region.brush_ms / 1000, semitones = region.brush_semitones;
    constexpr double kDab = 1e-3;  // a path of one point has an end, too
    QPainterPath middle;
    for (const auto& point : region.points) {
        const QPointF at(point.seconds / seconds, semitones_of_hz(point.hz) / semitones);
        middle.elementCount() == 0 ? middle.moveTo(at) : middle.lineTo(at);
    }
    if (region.points.size() == 1) middle.lineTo(middle.currentPosition() + QPointF(kDab, 0));
    QPainterPathStroker stroker;
    stroker.setWidth(2);
    stroker.setCapStyle(Qt::RoundCap);
    stroker.setJoinStyle(Qt::RoundJoin);
    QPainterPath stroke = stroker.createStroke(middle).simplified();
    for (int i = 0; i < stroke.elementCount(); ++i) {
        const auto& e = stroke.elementAt(i);
        const QPointF at = position_of(lane, {e.x * seconds, hz_of_semitones(e.y * semitones)});
        stroke.setElementPositionAt(i, at.x(), at.y());
    }
    return stroke;
}

// Source and the stem that gets it, or all where something is cut.
std::vector<int> RegionEditor::lanes_of(const Correction& c) const {
    std::vector<int> out;
    for (int lane = 0; lane < kLanes; ++lane) {
        const bool shown = lanes_.enlarged() == lane || lane == 0 || c.act != CorrectionAct::Give ||
                           lane == 1 + static_cast<int>(c.to) ||
                           (c.to_part && lane == lane_of_sound(sound_of(*c.to_part)));
        if (shown && !lanes_.lane_rect(lane).isEmpty()) out.push_back(lane);
    }
    return out;
}

void RegionEditor::draw(QPainter& painter, const Region& region, int lane, const QColor& colour, bool chosen,
                        bool on) {
    painter.setClipRect(lanes_.lane_rect(lane));
    const QPainterPath path = path_of(region, lane);
    painter.setPen(QPen(colour::kGround, chosen ? 4 : 3));
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(path);
    QPen pen(colour, chosen ? 2 : 1.2, on ? Qt::SolidLine : Qt::DotLine);
    painter.setPen(pen);
    QColor fill = colour;
    fill.setAlpha(chosen ? 40 : 16);
    painter.setBrush(on ? QBrush(fill) : QBrush(Qt::NoBrush));
    painter.drawPath(path);
    if (!region.harmonics || !chosen) return;
    painter.setBrush(Qt::NoBrush);
    pen.setStyle(Qt::DotLine);
    pen.setWidthF(1);
    painter.setPen(pen);
    const RegionBounds b = bounds_of(region);
    for (int k = 1; k <= kMostPartials; ++k) {
        const double ratio = static_cast<double>(k) / region.partial;
        if (k == region.partial || b.lowest_hz * ratio > kHighestShownHz) continue;
        // Where partials lie closer than can be told apart, they are not drawn any more.
        const double next = (k + 1.0) / region.partial;
        if (lanes_.y_of(lane, b.lowest_hz * ratio) - lanes_.y_of(lane, b.lowest_hz * next) < kPartialsApart)
            break;
        painter.drawRect(QRectF(position_of(lane, {b.first_seconds, b.highest_hz * ratio}),
                                position_of(lane, {b.last_seconds, b.lowest_hz * ratio})));
    }
}

void RegionEditor::paintEvent(QPaintEvent*) {
    if (!document_.source()) return;
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    for (const auto& c : correcting_.all()) {
        const RegionBounds bounds = bounds_of(c.region);
        if (bounds.last_seconds < view_.start() || bounds.first_seconds > view_.start() + view_.span())
            continue;
        const bool chosen = c.id == correcting_.chosen();
        const QColor colour = c.act == CorrectionAct::Give            ? stem_colour(given_to(c))
                              : c.act == CorrectionAct::ShareAsBefore ? colour::kText
                                                                      : colour::kWarn;
        for (const int lane : lanes_of(c)) draw(painter, c.region, lane, colour, chosen, c.on);
    }
    const Region* region = correcting_.region();
    if (region != nullptr && correcting_.chosen() == 0) {
        for (int lane = 0; lane < kLanes; ++lane) {
            if (!lanes_.lane_rect(lane).isEmpty()) draw(painter, *region, lane, colour::kAct, true, true);
        }
    }
    painter.setClipping(false);
    if (!correcting_.places().empty() && region != nullptr) {
        const RegionBounds b = bounds_of(*region);
        for (const auto& place : correcting_.places()) {
            const double left = view_.to_x(b.first_seconds + place.by_seconds, width());
            const double right = view_.to_x(b.last_seconds + place.by_seconds, width());
            painter.fillRect(QRectF(left, 0, std::max(2.0, right - left), 5), colour::kAct);
        }
    }
}

int RegionEditor::correction_at(QPointF at) const {
    const auto lane = lanes_.lane_at(at);
    const auto& all = correcting_.all();
    for (auto c = all.rbegin(); lane && c != all.rend(); ++c) {
        if (path_of(c->region, *lane).contains(at)) return c->id;
    }
    return 0;
}

// On the region that is worked on: it is taken along. On a correction: it is chosen. Elsewhere a new one
// begins.
void RegionEditor::mousePressEvent(QMouseEvent* event) {
    const auto lane = lanes_.lane_at(event->position());
    if (event->button() != Qt::LeftButton || !lane || !document_.source()) return;
    setFocus();
    Drag drag;
    drag.lane = *lane;
    drag.press = event->position();
    drag.path = {point_at(*lane, event->position())};
    const Region* region = correcting_.region();
    if (region != nullptr && !(event->modifiers() & Qt::ShiftModifier) &&
        path_of(*region, *lane).contains(event->position())) {
        drag.moved = *region;
    }
    drag_ = std::move(drag);
}

void RegionEditor::drag_to(QPointF at) {
    Drag& d = *drag_;
    const RegionPoint here = point_at(d.lane, at);
    if (d.moved) {
        const double semitones = semitones_of_hz(here.hz) - semitones_of_hz(d.path[0].hz);
        return correcting_.set_region(moved(*d.moved, here.seconds - d.path[0].seconds, semitones), d.began);
    }
    if (!d.began && correcting_.chosen() != 0) correcting_.clear();
    const QPointF last = position_of(d.lane, d.path.back());
    if (QLineF(last, at).length() >= kStrokePixels) d.path.push_back(here);
    Region region = correcting_.shown().region;
    switch (correcting_.tool()) {
        case Correcting::Tool::Box:
            region.shape = RegionShape::Box;
            region.points = {d.path.front(), here};
            break;
        case Correcting::Tool::Outline:
            region.shape = RegionShape::Outline;
            region.points = d.path;
            break;
        case Correcting::Tool::Brush:
        case Correcting::Tool::None:
            region.shape = RegionShape::Brush;
            region.points = d.path;
            break;
    }
    correcting_.set_region(std::move(region), d.began);
}

void RegionEditor::mouseMoveEvent(QMouseEvent* event) {
    tell(event->position());
    if (!drag_) return;
    if (!drag_->began && (event->position() - drag_->press).manhattanLength() < kDragPixels) return;
    drag_to(event->position());
    drag_->began = true;
}

void RegionEditor::mouseReleaseEvent(QMouseEvent* event) {
    if (!drag_) return;
    const bool dragged = drag_->began;
    const int lane = drag_->lane;
    drag_.reset();
    if (dragged) return correcting_.close_step();
    const int id = correction_at(event->position());
    if (id != 0) return correcting_.choose(id);
    if (correcting_.tool() != Correcting::Tool::Brush) return correcting_.clear();
    correcting_.clear();
    Region dab = correcting_.shown().region;  // a click with the brush is one dab
    dab.shape = RegionShape::Brush;
    dab.points = {point_at(lane, event->position())};
    correcting_.set_region(std::move(dab));
}

void RegionEditor::leaveEvent(QEvent*) {
    emit pointed_at({});
}

// Time, frequency, note and level under the mouse.
void RegionEditor::tell(QPointF at) {
    const auto lane = lanes_.lane_at(at);
    if (!lane || !document_.source()) return emit pointed_at({});
    const RegionPoint point = point_at(*lane, at);
    const auto level = lanes_.level_at(*lane, point.seconds, point.hz);
    const QString db = level ? tr("%1 dBFS").arg(*level, 0, 'f', 0) : QString();
    emit pointed_at(tr("%1 s   %2 Hz   %3   %4")
                        .arg(point.seconds, 0, 'f', 3)
                        .arg(point.hz, 0, 'f', point.hz < 1000 ? 1 : 0)
                        .arg(text(note_name(point.hz)), db));
}

void RegionEditor::wheelEvent(QWheelEvent* event) {
    QCoreApplication::sendEvent(&lanes_, event);
}

void RegionEditor::keyPressEvent(QKeyEvent* event) {
    const double much = event->modifiers() & Qt::ShiftModifier ? kFurther : 1;
    const bool growing = event->modifiers() & Qt::ControlModifier;
    double seconds = 0, semitones = 0;
    switch (event->key()) {
        case Qt::Key_Left:
            seconds = -kNudgeSeconds * much;
            break;
        case Qt::Key_Right:
            seconds = kNudgeSeconds * much;
            break;
        case Qt::Key_Up:
            semitones = kNudgeSemitones * much;
            break;
        case Qt::Key_Down:
            semitones = -kNudgeSemitones * much;
            break;
        case Qt::Key_Escape:
            if (correcting_.region() != nullptr) return correcting_.clear();
            correcting_.set_tool(Correcting::Tool::None);
            return lanes_.setFocus();
        case Qt::Key_Delete:
            return correcting_.remove();
        default:
            return QWidget::keyPressEvent(event);
    }
    growing ? correcting_.grow(seconds, semitones) : correcting_.move(seconds, semitones);
}

// With a tool taken the arrow keys, Delete and Escape are the hand's, not the window's shortcuts.
bool RegionEditor::event(QEvent* event) {
    if (correcting_.tool() != Correcting::Tool::None &&
        claims_key(event,
                   {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_Delete, Qt::Key_Escape}))
        return true;
    return QWidget::event(event);
}

bool RegionEditor::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize) setGeometry(lanes_.rect());
    return QWidget::eventFilter(watched, event);
}

}  // namespace rivlen::app
