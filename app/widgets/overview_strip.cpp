// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/overview_strip.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/theme.h"
#include "app/widgets/time_input.h"

namespace rivlen::app {

namespace {
constexpr int kOverviewHeight = 16;
constexpr double kEdgeReach = 5, kLeastWidth = 6;  // pixels
}  // namespace

OverviewStrip::OverviewStrip(TimeView& view, Draw draw, QWidget* parent)
    : QWidget(parent), view_(view), draw_(std::move(draw)) {
    setFixedHeight(kOverviewHeight);
    setMouseTracking(true);
    new TimeInput(view_, this);
    setAccessibleName(tr("All of the time"));
    setToolTip(tr("All of it; the bright part is what is shown. Drag it, or its edges."));
    connect(&view_, &TimeView::changed, this, qOverload<>(&QWidget::update));
}

QRectF OverviewStrip::shown() const {
    const double left = view_.start() / view_.total() * width();
    const double wide = std::max(kLeastWidth, view_.span() / view_.total() * width());
    return {std::min(left, width() - wide), 0, wide, static_cast<double>(height())};
}

double OverviewStrip::seconds_at(double x) const {
    return std::clamp(x / std::max(1, width()), 0.0, 1.0) * view_.total();
}

OverviewStrip::Grip OverviewStrip::grip_at(double x) const {
    const QRectF part = shown();
    if (std::abs(x - part.left()) <= kEdgeReach) return Grip::Start;
    if (std::abs(x - part.right()) <= kEdgeReach) return Grip::End;
    return part.contains(QPointF(x, 1)) ? Grip::All : Grip::None;
}

void OverviewStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colour::kPanel);
    if (whole_.total() != view_.total()) whole_.set_total(view_.total());
    draw_(painter, whole_);
    const QRectF part = shown();
    QColor veil = colour::kGround;
    veil.setAlpha(170);
    painter.fillRect(QRectF(0, 0, part.left(), height()), veil);
    painter.fillRect(QRectF(part.right(), 0, width() - part.right(), height()), veil);
    painter.setPen(QPen(colour::kAct, 1));
    painter.drawRect(part.adjusted(0.5, 0.5, -0.5, -0.5));
}

void OverviewStrip::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const double x = event->position().x();
    grip_ = grip_at(x);
    pressed_ = seconds_at(x);
    if (grip_ == Grip::None) {
        view_.show(pressed_ - view_.span() / 2, view_.span());
        view_.settle();
        grip_ = Grip::All;
    }
    start_ = view_.start();
    end_ = start_ + view_.span();
}

void OverviewStrip::mouseMoveEvent(QMouseEvent* event) {
    const double x = event->position().x();
    if (grip_ == Grip::None) {
        const Grip here = grip_at(x);
        setCursor(here == Grip::Start || here == Grip::End ? Qt::SizeHorCursor
                  : here == Grip::All                      ? Qt::OpenHandCursor
                                                           : Qt::ArrowCursor);
        return;
    }
    const double by = seconds_at(x) - pressed_;
    if (grip_ == Grip::All) view_.show(start_ + by, end_ - start_);
    if (grip_ == Grip::Start) view_.show(std::min(start_ + by, end_), end_ - std::min(start_ + by, end_));
    if (grip_ == Grip::End) view_.show(start_, std::max(end_ + by, start_) - start_);
    view_.settle();
}

void OverviewStrip::mouseReleaseEvent(QMouseEvent*) {
    grip_ = Grip::None;
}

}  // namespace rivlen::app
