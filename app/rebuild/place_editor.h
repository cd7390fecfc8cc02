// SPDX-License-Identifier: GPL-3.0-or-later
// Where a track sounds from, seen from above and from the side at once.
#pragma once

#include <QWidget>
#include <vector>

#include "core/project/timeline.h"
#include "core/space/layout.h"

namespace rivlen::app {

// Dragging in the view from above turns the source around the listener, in the view from the side it lifts
// it. Arrow keys do both in steps of 5 degrees, a double click brings it back ahead.
class PlaceEditor : public QWidget {
    Q_OBJECT
  public:
    explicit PlaceEditor(QWidget* parent = nullptr);
    // half_width_deg: from the middle to each side of a stereo strip, 0 of a mono one.
    void show_place(const Place& place, double half_width_deg, Layout layout);
    [[nodiscard]] const Place& shown() const { return place_; }
    // Middles of the two views, and how far from them the sphere reaches.
    [[nodiscard]] QPointF above_middle() const;
    [[nodiscard]] QPointF side_middle() const;
    [[nodiscard]] double radius() const;

  signals:
    void moved(double azimuth_deg, double elevation_deg);
    void released();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;  // arrow keys are its own before they are the view's
    [[nodiscard]] QSize sizeHint() const override { return {300, 168}; }

  private:
    enum class Dragged { Nothing, Above, Side };
    void drag_to(QPointF at);
    void draw_view(QPainter& painter, bool from_above) const;
    [[nodiscard]] QPointF spot(Direction direction, bool from_above) const;
    Place place_;
    double half_width_deg_ = 0;
    Layout layout_ = Layout::Surround51;
    Dragged dragged_ = Dragged::Nothing;
};

}  // namespace rivlen::app
