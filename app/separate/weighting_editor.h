// SPDX-License-Identifier: GPL-3.0-or-later
// Frequency weighting: points over the average spectra of the stem and of the rest in the loop.
#pragma once

#include <QWidget>

#include "app/separate/measuring.h"
#include "app/shell/document.h"

namespace rivlen::app {

class WeightingEditor : public QWidget {
    Q_OBJECT
  public:
    WeightingEditor(Document& document, Measuring& measuring, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {300, 84}; }
    [[nodiscard]] QPointF position_of(const WeightPoint& point) const;

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] double x_of(double hz) const;
    [[nodiscard]] double hz_of(double x) const;
    [[nodiscard]] double y_of(double strength_percent) const;
    [[nodiscard]] double strength_of(double y) const;
    [[nodiscard]] const StemSettings* settings() const;
    [[nodiscard]] int point_at(QPointF at) const;
    void change(const QString& label, const QString& key, const std::function<void(StemSettings&)>& edit);
    Document& document_;
    Measuring& measuring_;
    int chosen_ = -1;
    bool dragging_ = false;
};

}  // namespace rivlen::app
