// SPDX-License-Identifier: GPL-3.0-or-later
// The trade-off as a picture and as the control itself: what leaks in and what gets damaged over isolation,
// with the present point, which is dragged, and the proposed one.
#pragma once

#include <QWidget>

#include "app/separate/measuring.h"
#include "app/shell/document.h"

namespace rivlen::app {

class TradeOffGraph : public QWidget {
    Q_OBJECT
  public:
    TradeOffGraph(Document& document, Measuring& measuring, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {300, 150}; }
    // Where an isolation lies on the widget.
    [[nodiscard]] double x_of(double isolation_percent) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double bleed_y(double bleed_db) const;
    [[nodiscard]] double damage_y(double damage) const;
    [[nodiscard]] double isolation() const;
    void set_isolation(double percent);
    void draw_curve(QPainter& painter, const std::vector<TradeOff>& curve, bool faint) const;
    Document& document_;
    Measuring& measuring_;
};

}  // namespace rivlen::app
