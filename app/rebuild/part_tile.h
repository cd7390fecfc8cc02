// SPDX-License-Identifier: GPL-3.0-or-later
// One part of a chain, small: its switch, its meter, and what moves it or takes it out. Dragging it along the
// row moves it, too.
#pragma once

#include <QCheckBox>
#include <QFrame>
#include <QLabel>
#include <optional>

#include "app/shell/document.h"
#include "core/effects/inserts.h"

namespace rivlen::app {

class PartTile : public QFrame {
    Q_OBJECT
  public:
    // place: in the chain of the strip.
    PartTile(Document& document, int strip, std::size_t place, QWidget* parent);
    [[nodiscard]] int part() const { return part_; }
    void set_open(bool open);
    void refresh();
    // Reduction in dB, or what a repair does; falls back slowly.
    void show_reduction(double reduction_db);

  signals:
    void opened(int part);
    // Let go over this place of the screen.
    void dropped(int part, QPoint at);

  protected:
    bool event(QEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void switch_on(bool on);
    void move_by(int by);
    void take_out();
    Document& document_;
    int strip_, part_;
    std::size_t place_;
    EffectType kind_;
    QCheckBox* on_;
    QLabel* meter_;
    double reduction_db_ = 0;
    std::optional<QPoint> pressed_;
    bool dragged_ = false;
};

}  // namespace rivlen::app
