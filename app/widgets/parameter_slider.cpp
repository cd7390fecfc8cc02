// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/parameter_slider.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QSignalBlocker>
#include <algorithm>
#include <cmath>

#include "app/widgets/text.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {
constexpr int kNumberMargin = 18;
}

ParameterSlider::ParameterSlider(const ParameterInfo& info, QWidget* parent)
    : QWidget(parent),
      info_(info),
      value_(info.standard),
      colour_(colour::kAct),
      number_(new QDoubleSpinBox(this)) {
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(22);
    setAccessibleName(words(info.label));
    setAccessibleDescription(words(info.sentence));
    setToolTip(QString("%1 %2").arg(words(info.sentence), words(info.too_much)));
    number_->setRange(info.lowest, info.highest);
    number_->setDecimals(info.step < 1 ? 1 : 0);
    number_->setSingleStep(info.step);
    number_->setSuffix(QString(" ") + info.unit);
    number_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    number_->setAlignment(Qt::AlignRight);
    number_->setFont(number_font());
    number_->setKeyboardTracking(false);
    number_->setAccessibleName(words(info.label));
    number_->setValue(value_);
    const QFontMetrics metrics(number_->font());
    for (const double value : {info.lowest, info.highest})
        number_width_ = std::max(
            number_width_,
            metrics.horizontalAdvance(number_->textFromValue(value) + number_->suffix()) + kNumberMargin);
    connect(number_, &QDoubleSpinBox::valueChanged, this, [this](double value) {
        take(value);
        emit released();
    });
}

void ParameterSlider::set_value(double value) {
    value_ = value;
    const QSignalBlocker quiet(number_);
    number_->setValue(value);
    update();
}

void ParameterSlider::set_faint(bool faint) {
    faint_ = faint;
    update();
}

void ParameterSlider::set_marked(bool marked) {
    marked_ = marked;
    update();
}

void ParameterSlider::set_colour(const QColor& colour) {
    colour_ = colour;
    update();
}

QRectF ParameterSlider::slider() const {
    return {8.0, height() / 2.0 - 3.0, std::max(10.0, width() - number_width_ - 18.0), 6.0};
}

void ParameterSlider::take(double value) {
    value = std::clamp(std::round(value / info_.step) * info_.step, info_.lowest, info_.highest);
    if (value == value_) return;
    set_value(value);
    emit moved(value_);
}

void ParameterSlider::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF r = slider();
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour::kGround);
    painter.drawRect(r);
    const double part = (value_ - info_.lowest) / (info_.highest - info_.lowest);
    const QColor fill = isEnabled() && !faint_ ? colour_ : colour::kLine;
    painter.setBrush(fill);
    painter.drawRect(QRectF(r.left(), r.top(), r.width() * part, r.height()));
    const double x = r.left() + r.width() * part;
    painter.setBrush(marked_ ? colour::kAct : colour::kPanel);
    painter.setPen(QPen(hasFocus() ? colour::kAct : fill, 2));
    painter.drawPolygon(QPolygonF({{x - 6, r.center().y()},
                                   {x, r.center().y() - 9},
                                   {x + 6, r.center().y()},
                                   {x, r.center().y() + 9}}));
}

void ParameterSlider::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) mouseMoveEvent(event);
}

void ParameterSlider::mouseMoveEvent(QMouseEvent* event) {
    const QRectF r = slider();
    const double part = std::clamp((event->position().x() - r.left()) / r.width(), 0.0, 1.0);
    take(info_.lowest + part * (info_.highest - info_.lowest));
}

void ParameterSlider::mouseReleaseEvent(QMouseEvent*) {
    emit released();
}

void ParameterSlider::mouseDoubleClickEvent(QMouseEvent*) {
    take(info_.standard);
    emit released();
}

void ParameterSlider::keyPressEvent(QKeyEvent* event) {
    const double step = info_.step * (event->modifiers() & Qt::ShiftModifier ? 10 : 1);
    switch (event->key()) {
        case Qt::Key_Left:
        case Qt::Key_Down:
            take(value_ - step);
            break;
        case Qt::Key_Right:
        case Qt::Key_Up:
            take(value_ + step);
            break;
        case Qt::Key_Backspace:
            take(info_.standard);
            break;
        default:
            QWidget::keyPressEvent(event);
            return;
    }
    emit released();
}

void ParameterSlider::set_number_width(int width) {
    number_width_ = width;
    resizeEvent(nullptr);
    update();
}

void ParameterSlider::resizeEvent(QResizeEvent*) {
    number_->setGeometry(width() - number_width_, 1, number_width_, height() - 2);
}

}  // namespace rivlen::app
