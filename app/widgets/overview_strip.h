// SPDX-License-Identifier: GPL-3.0-or-later
// All of the time in one narrow strip, with the part that is shown: dragged it moves, by its edges it grows
// and shrinks, a press beside it goes there.
#pragma once

#include <QWidget>
#include <functional>

#include "app/widgets/time_view.h"

namespace rivlen::app {

class OverviewStrip : public QWidget {
    Q_OBJECT
  public:
    using Draw = std::function<void(QPainter& painter, const TimeView& whole)>;
    // draw: what is there, over all of the time and the strip's size.
    OverviewStrip(TimeView& view, Draw draw, QWidget* parent = nullptr);
    // Pixels of what is shown.
    [[nodiscard]] QRectF shown() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    enum class Grip { None, All, Start, End };
    [[nodiscard]] Grip grip_at(double x) const;
    [[nodiscard]] double seconds_at(double x) const;
    TimeView& view_;
    TimeView whole_;
    Draw draw_;
    Grip grip_ = Grip::None;
    double pressed_ = 0, start_ = 0, end_ = 0;  // seconds: under the press, and of what was shown then
};

}  // namespace rivlen::app
