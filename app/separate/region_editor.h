// SPDX-License-Identifier: GPL-3.0-or-later
// The hand over the lanes: regions are drawn and shown here, moved and made larger by mouse and keys.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

#include "app/separate/correcting.h"
#include "app/separate/lanes.h"
#include "app/widgets/time_view.h"

namespace rivlen::app {

class RegionEditor : public QWidget {
    Q_OBJECT
  public:
    // Lies over all lanes; the mouse goes through it while no tool is taken.
    RegionEditor(Document& document, Correcting& correcting, TimeView& view, LaneCanvas& lanes);
    // Takes a tool, or puts it away when it is taken already. Without a region one is begun at a time, so
    // that everything can be done by keys alone.
    void take_tool(Correcting::Tool tool, double seconds);
    [[nodiscard]] QPointF position_of(int lane, const RegionPoint& point) const;

  signals:
    // What lies under the mouse, or nothing.
    void pointed_at(const QString& words);

  protected:
    bool event(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    struct Drag {
        int lane = 0;
        QPointF press;
        std::vector<RegionPoint> path;
        std::optional<Region> moved;  // the region that is taken along, as it was at the press
        bool began = false;
    };
    [[nodiscard]] RegionPoint point_at(int lane, QPointF at) const;
    [[nodiscard]] QPainterPath path_of(const Region& region, int lane) const;
    [[nodiscard]] QPainterPath stroke_of(const Region& region, int lane) const;
    [[nodiscard]] std::vector<int> lanes_of(const Correction& correction) const;
    [[nodiscard]] int correction_at(QPointF at) const;
    void draw(QPainter& painter, const Region& region, int lane, const QColor& colour, bool chosen, bool on);
    void drag_to(QPointF at);
    void tell(QPointF at);
    void follow();
    Document& document_;
    Correcting& correcting_;
    TimeView& view_;
    LaneCanvas& lanes_;
    std::optional<Drag> drag_;
};

}  // namespace rivlen::app
