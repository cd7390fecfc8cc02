// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/lane_editor.h"

#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr double kReach = 8;      // pixels around a point
constexpr double kHalfPoint = 5;  // of the drawn point
constexpr double kValueWidth = 70, kValueHeight = 14;

const Breakpoint* nearest(const LaneScale& scale, std::span<const Breakpoint> points, QPointF at) {
    const Breakpoint* best = nullptr;
    double least = kReach;
    const auto first =
        std::ranges::lower_bound(points, scale.frame_at(at.x() - kReach - 1), {}, &Breakpoint::frame);
    for (auto point = first; point != points.end(); ++point) {
        const QPointF from = scale.position_of(*point) - at;
        if (from.x() > kReach) break;
        const double distance = std::hypot(from.x(), from.y());
        if (distance > least) continue;
        least = distance;
        best = &*point;
    }
    return best;
}

void draw_points(QPainter& painter, const LaneScale& scale, std::span<const Breakpoint> points,
                 std::optional<std::int64_t> chosen) {
    for (const auto& point : points) {
        const QPointF at = scale.position_of(point);
        const bool is_chosen = chosen == point.frame;
        painter.setPen(QPen(colour::kGround, 1));
        painter.setBrush(is_chosen ? colour::kAct : colour::kText);
        painter.drawPolygon(QPolygonF({{at.x() - kHalfPoint, at.y()},
                                       {at.x(), at.y() - kHalfPoint},
                                       {at.x() + kHalfPoint, at.y()},
                                       {at.x(), at.y() + kHalfPoint}}));
        painter.setBrush(Qt::NoBrush);
        if (!is_chosen) continue;
        painter.setPen(colour::kAct);
        const double x = std::clamp(at.x() + 9, scale.area.left() + 2,
                                    std::max(scale.area.left() + 2, scale.area.right() - kValueWidth));
        const double y = std::clamp(at.y() - kValueHeight, scale.area.top(),
                                    std::max(scale.area.top(), scale.area.bottom() - kValueHeight));
        painter.drawText(QRectF(x, y, kValueWidth, kValueHeight), Qt::AlignLeft | Qt::AlignVCenter,
                         QString("%1 %2").arg(point.value, 0, 'f', scale.step >= 1 ? 0 : 1).arg(scale.unit));
    }
}

}  // namespace

double LaneScale::y_of(double value) const {
    const double part = (value - lowest) / std::max(1e-9, highest - lowest);
    return area.bottom() - part * area.height();
}

QPointF LaneScale::position_of(const Breakpoint& point) const {
    return {x_of(point.frame), y_of(point.value)};
}

Breakpoint LaneScale::point_at(QPointF at) const {
    const double part = std::clamp((area.bottom() - at.y()) / std::max(1.0, area.height()), 0.0, 1.0);
    const double value = lowest + part * (highest - lowest);
    return {frame_at(at.x()), step > 0 ? std::round(value / step) * step : value};
}

bool LaneEditor::take_hold(const LaneScale& scale, std::span<const Breakpoint> points, QPointF at) {
    const Breakpoint* point = nearest(scale, points, at);
    if (point != nullptr) chosen_ = point->frame;
    return point != nullptr;
}

bool LaneEditor::is_over_point(const LaneScale& scale, std::span<const Breakpoint> points, QPointF at) {
    return nearest(scale, points, at) != nullptr;
}

void LaneEditor::set(Breakpoint point) {
    chosen_ = point.frame;
    change_(tr("Set a point"), true, [&](Points& points) { put_point(points, point); });
}

void LaneEditor::drag_to(Breakpoint place) {
    if (!chosen_) return;
    change_(tr("Move a point"), true, [&](Points& points) { chosen_ = move_point(points, *chosen_, place); });
}

bool LaneEditor::remove_chosen() {
    if (!chosen_) return false;
    const std::int64_t at = *chosen_;
    chosen_.reset();
    change_(tr("Remove a point"), false, [&](Points& points) { erase_points(points, at, at + 1); });
    return true;
}

bool LaneEditor::key(const QKeyEvent& event, const LaneScale& scale, std::span<const Breakpoint> points) {
    if (points.empty()) return false;
    auto at = chosen_ ? std::ranges::find(points, *chosen_, &Breakpoint::frame) : points.begin();
    if (at == points.end()) at = points.begin();
    const double step = (scale.step > 0 ? scale.step : (scale.highest - scale.lowest) / 100) *
                        (event.modifiers() & Qt::ShiftModifier ? 10 : 1);
    switch (event.key()) {
        case Qt::Key_Left:
            if (chosen_ && at != points.begin()) --at;
            chosen_ = at->frame;
            return true;
        case Qt::Key_Right:
            if (chosen_ && at + 1 != points.end()) ++at;
            chosen_ = at->frame;
            return true;
        case Qt::Key_Up:
        case Qt::Key_Down: {
            const double value = at->value + (event.key() == Qt::Key_Up ? step : -step);
            chosen_ = at->frame;
            drag_to({at->frame, std::clamp(value, scale.lowest, scale.highest)});
            return true;
        }
        case Qt::Key_Delete:
            remove_chosen();
            return true;
        default:
            return false;
    }
}

void draw_lane(QPainter& painter, const LaneScale& scale, std::span<const Breakpoint> points, double standing,
               double left, double right, std::optional<std::int64_t> chosen) {
    painter.setRenderHint(QPainter::Antialiasing);
    if (points.empty()) {
        painter.setPen(QPen(colour::kDim, 1, Qt::DashLine));
        painter.drawLine(QPointF(left, scale.y_of(standing)), QPointF(right, scale.y_of(standing)));
    } else {
        const std::int64_t from = scale.frame_at(left), to = scale.frame_at(right);
        const auto first = std::ranges::lower_bound(points, from, {}, &Breakpoint::frame);
        const auto last = std::ranges::upper_bound(points, to, {}, &Breakpoint::frame);
        const std::span<const Breakpoint> shown(first, last);
        QPainterPath path(QPointF(left, scale.y_of(lane_value(points, from))));
        for (const auto& point : shown) path.lineTo(scale.position_of(point));
        path.lineTo(right, scale.y_of(lane_value(points, to)));
        painter.setPen(QPen(colour::kGround, 4));
        painter.drawPath(path);
        painter.setPen(QPen(colour::kText, 1.8));
        painter.drawPath(path);
        draw_points(painter, scale, shown, chosen);
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
}

}  // namespace rivlen::app
