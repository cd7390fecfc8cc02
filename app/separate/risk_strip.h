// SPDX-License-Identifier: GPL-3.0-or-later
// The risk line under the stems: where the present settings probably hurt the chosen stem.
#pragma once

#include <QWidget>

#include "app/separate/measuring.h"
#include "app/shell/document.h"
#include "app/widgets/time_view.h"

namespace rivlen::app {

class RiskStrip : public QWidget {
    Q_OBJECT
  public:
    RiskStrip(Document& document, Measuring& measuring, TimeView& view, QWidget* parent = nullptr);
    // Loops the next worse (-1) or next less bad (+1) spot after the one looped last.
    void step(int by);
    void loop_spot(double seconds);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    Document& document_;
    Measuring& measuring_;
    TimeView& view_;
    int rank_ = -1;
};

}  // namespace rivlen::app
