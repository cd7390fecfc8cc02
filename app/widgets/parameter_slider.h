// SPDX-License-Identifier: GPL-3.0-or-later
// A slider with a typed value: rail and number are the same setting, described by one ParameterInfo.
#pragma once

#include <QDoubleSpinBox>
#include <QWidget>

#include "core/separation/settings.h"

namespace rivlen::app {

inline constexpr int kLeastNumberWidth = 62;

class ParameterSlider : public QWidget {
    Q_OBJECT
  public:
    explicit ParameterSlider(const ParameterInfo& info, QWidget* parent = nullptr);
    void set_value(double value);  // without telling anyone
    [[nodiscard]] double value() const { return value_; }
    void set_colour(const QColor& colour);
    void set_number_width(int width);  // so that rails below each other end alike
    void set_faint(bool faint);        // drawn as something that is switched off; it can still be moved
    void set_marked(bool marked);      // its value changes over time
    [[nodiscard]] QSize sizeHint() const override { return {170, 22}; }

  signals:
    void moved(double value);
    void released();  // a drag has ended

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    [[nodiscard]] QRectF slider() const;
    void take(double value);
    const ParameterInfo& info_;
    double value_;
    QColor colour_;
    bool faint_ = false, marked_ = false;
    QDoubleSpinBox* number_;
    int number_width_ = kLeastNumberWidth;
};

}  // namespace rivlen::app
