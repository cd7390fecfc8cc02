// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/time_input.h"

#include <QNativeGestureEvent>
#include <QWheelEvent>
#include <cmath>

namespace rivlen::app {

namespace {
constexpr double kUprightZoomStep = 0.85;
}  // namespace

TimeInput::TimeInput(TimeView& view, QWidget* over, Upright upright)
    : QObject(over), view_(view), over_(over), upright_(std::move(upright)) {
    over_->installEventFilter(this);
}

void TimeInput::wheel(const QWheelEvent& event) {
    const double steps = event.angleDelta().y() / 120.0;
    // With Alt some systems turn the wheel sideways.
    const double both = steps + event.angleDelta().x() / 120.0;
    if (event.modifiers() & Qt::ControlModifier && upright_.zoom &&
        upright_.zoom(std::pow(kUprightZoomStep, steps), event.position().y()))
        return;
    if (event.modifiers() & Qt::AltModifier && upright_.scroll && upright_.scroll(both)) return;
    view_.wheel(event, over_->width());
}

bool TimeInput::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Wheel) {
        wheel(*static_cast<QWheelEvent*>(event));
        event->accept();
        return true;
    }
    if (event->type() == QEvent::NativeGesture) {
        const auto& gesture = *static_cast<QNativeGestureEvent*>(event);
        if (gesture.gestureType() != Qt::ZoomNativeGesture) return false;
        view_.zoom(1.0 / (1.0 + gesture.value()), view_.to_seconds(gesture.position().x(), over_->width()));
        event->accept();
        return true;
    }
    return QObject::eventFilter(watched, event);
}

}  // namespace rivlen::app
