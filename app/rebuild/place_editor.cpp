// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/place_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {
constexpr double kStepDeg = 5;
constexpr double kLabelHeight = 16;
}  // namespace

PlaceEditor::PlaceEditor(QWidget* parent) : QWidget(parent) {
    setObjectName("place_editor");
    setAccessibleName(tr("Place around the listener"));
    setToolTip(
        tr("Left: seen from above, ahead is up; drag to turn the source around the listener.\n"
           "Right: seen from the left side, ahead is left; drag to lift or lower it.\n"
           "Arrow keys move it by 5 degrees, a double click brings it ahead."));
    // On low screens the page below it comes first.
    setMinimumHeight(104);
    setMaximumHeight(168);
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
}

void PlaceEditor::show_place(const Place& place, double half_width_deg, Layout layout) {
    if (place == place_ && half_width_deg == half_width_deg_ && layout == layout_) return;
    place_ = place;
    half_width_deg_ = half_width_deg;
    layout_ = layout;
    update();
}

double PlaceEditor::radius() const {
    return std::min(width() / 4.0, (height() - kLabelHeight) / 2.0) - 9;
}
QPointF PlaceEditor::above_middle() const {
    return {width() / 4.0, kLabelHeight + (height() - kLabelHeight) / 2.0};
}
QPointF PlaceEditor::side_middle() const {
    return {width() * 0.75, above_middle().y()};
}

QPointF PlaceEditor::spot(Direction direction, bool from_above) const {
    const Vector3 at = unit_vector(direction);
    if (from_above) return above_middle() + QPointF(-at[1], -at[0]) * radius();
    return side_middle() + QPointF(-at[0], -at[2]) * radius();
}

void PlaceEditor::draw_view(QPainter& painter, bool from_above) const {
    const QPointF middle = from_above ? above_middle() : side_middle();
    painter.setPen(colour::kDim);
    painter.drawText(QRectF(middle.x() - width() / 4.0, 0, width() / 2.0, kLabelHeight), Qt::AlignCenter,
                     from_above ? tr("from above") : tr("from the left side"));
    painter.setPen(QPen(colour::kLine, 1));
    painter.setBrush(colour::kGround);
    painter.drawEllipse(middle, radius(), radius());
    painter.drawLine(middle - QPointF(radius(), 0), middle + QPointF(radius(), 0));
    painter.drawLine(middle - QPointF(0, radius()), middle + QPointF(0, radius()));
    // The listener: a head with a nose.
    QPainterPath head;
    head.addEllipse(middle, 6, 6);
    const QPointF ahead = from_above ? QPointF(0, -1) : QPointF(-1, 0),
                  aside = from_above ? QPointF(1, 0) : QPointF(0, 1);
    head.moveTo(middle + ahead * 10);
    head.lineTo(middle + ahead * 5 + aside * 3);
    head.lineTo(middle + ahead * 5 - aside * 3);
    head.closeSubpath();
    painter.fillPath(head, colour::kLine);
    for (const auto& speaker : loudspeakers(layout_)) {
        if (speaker.lfe) continue;
        const QPointF at = spot(speaker.direction, from_above);
        painter.fillRect(QRectF(at - QPointF(2.5, 2.5), QSizeF(5, 5)),
                         speaker.direction.elevation_deg > 0 ? colour::kText : colour::kDim);
    }
    const Direction source{place_.azimuth_deg, place_.elevation_deg};
    // Spread: the edge of the cap that it fills.
    if (place_.spread_percent > 0) {
        const double across =
            radius() * std::min(1.0, std::sin(radians(std::min(90.0, place_.spread_percent * 1.8))));
        QColor shade = colour::kAct;
        shade.setAlpha(50);
        painter.setPen(Qt::NoPen);
        painter.setBrush(shade);
        QPainterPath sphere;
        sphere.addEllipse(middle, radius(), radius());
        painter.setClipPath(sphere);
        painter.drawEllipse(spot(source, from_above), across + 4, across + 4);
        painter.setClipping(false);
    }
    const auto mark = [&](Direction direction, double size) {
        const QPointF at = spot(direction, from_above);
        painter.drawPolygon(QPolygonF(
            {at + QPointF(0, -size), at + QPointF(size, 0), at + QPointF(0, size), at + QPointF(-size, 0)}));
    };
    painter.setPen(QPen(colour::kAct, 1.5));
    painter.setBrush(colour::kGround);
    if (half_width_deg_ != 0) {
        for (const double side : {-half_width_deg_, half_width_deg_})
            mark({place_.azimuth_deg + side, place_.elevation_deg}, 4);
    }
    painter.setBrush(colour::kAct);
    mark(source, 6);
}

void PlaceEditor::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    draw_view(painter, true);
    draw_view(painter, false);
    if (!hasFocus()) return;
    painter.setPen(QPen(colour::kAct, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
}

// Goes the shorter way round from where the source is, so that a line turns on behind the listener.
void PlaceEditor::drag_to(QPointF at) {
    double azimuth = place_.azimuth_deg, elevation = place_.elevation_deg;
    if (dragged_ == Dragged::Above) {
        const QPointF away = at - above_middle();
        if (std::hypot(away.x(), away.y()) < 3) return;  // no direction
        const double wanted = degrees(std::atan2(-away.x(), -away.y()));
        azimuth += wrapped_azimuth_deg(wanted - azimuth);
        if (std::abs(azimuth) > kMostAzimuthDeg) azimuth = wrapped_azimuth_deg(azimuth);
    } else {
        elevation = degrees(std::asin(std::clamp((side_middle().y() - at.y()) / radius(), -1.0, 1.0)));
    }
    emit moved(std::round(azimuth), std::round(elevation));
}

void PlaceEditor::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    dragged_ = event->position().x() < width() / 2.0 ? Dragged::Above : Dragged::Side;
    drag_to(event->position());
}

void PlaceEditor::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_ != Dragged::Nothing) drag_to(event->position());
}

void PlaceEditor::mouseReleaseEvent(QMouseEvent*) {
    if (std::exchange(dragged_, Dragged::Nothing) != Dragged::Nothing) emit released();
}

void PlaceEditor::mouseDoubleClickEvent(QMouseEvent*) {
    dragged_ = Dragged::Nothing;
    emit moved(0, 0);
    emit released();
}

bool PlaceEditor::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const int key =
            static_cast<QKeyEvent*>(event)->key();  // NOLINT(*-static-cast-downcast): its type says so
        if (key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Up || key == Qt::Key_Down) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void PlaceEditor::keyPressEvent(QKeyEvent* event) {
    double azimuth = place_.azimuth_deg, elevation = place_.elevation_deg;
    switch (event->key()) {
        case Qt::Key_Left:
            azimuth += kStepDeg;
            break;
        case Qt::Key_Right:
            azimuth -= kStepDeg;
            break;
        case Qt::Key_Up:
            elevation = std::min(90.0, elevation + kStepDeg);
            break;
        case Qt::Key_Down:
            elevation = std::max(-90.0, elevation - kStepDeg);
            break;
        default:
            return QWidget::keyPressEvent(event);
    }
    if (std::abs(azimuth) > kMostAzimuthDeg) azimuth = wrapped_azimuth_deg(azimuth);
    emit moved(azimuth, elevation);
    emit released();
}

}  // namespace rivlen::app
