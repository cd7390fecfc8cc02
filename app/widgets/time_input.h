// SPDX-License-Identifier: GPL-3.0-or-later
// Wheel and touchpad over everything with a time axis, everywhere the same: a wheel zooms around the pointer,
// with Shift or sideways it scrolls, with Ctrl it zooms upright and with Alt it scrolls upright, where there
// is something upright; two fingers drawn apart zoom.
#pragma once

#include <QObject>
#include <QWidget>
#include <functional>

#include "app/widgets/time_view.h"

namespace rivlen::app {

class TimeInput : public QObject {
    Q_OBJECT
  public:
    // What is upright: frequencies, or the height of rows. False: not now, the wheel is for time.
    struct Upright {
        std::function<bool(double factor, double y)> zoom{};
        std::function<bool(double steps)> scroll{};
    };
    // over: whose wheel it is from now on.
    TimeInput(TimeView& view, QWidget* over, Upright upright);
    TimeInput(TimeView& view, QWidget* over) : TimeInput(view, over, Upright()) {}

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void wheel(const QWheelEvent& event);
    TimeView& view_;
    QWidget* over_;
    Upright upright_;
};

}  // namespace rivlen::app
