// SPDX-License-Identifier: GPL-3.0-or-later
// The source over its stems on one time axis: each lane a spectrogram with its outline, the loop range and
// playhead.
#pragma once

#include <QPixmap>
#include <QWidget>

#include "app/shell/document.h"
#include "app/widgets/tiles.h"
#include "app/widgets/time_view.h"
#include "core/play/player.h"

namespace rivlen::app {

inline constexpr int kLanes = 1 + kStems;

class LaneCanvas : public QWidget {
    Q_OBJECT
  public:
    LaneCanvas(Document& document, Player& player, TimeView& view, QWidget* parent = nullptr);
    void set_chosen(int stem);
    // Everything on the screen has been drawn from finished tiles.
    [[nodiscard]] bool complete() const { return complete_ && tiles_.idle(); }
    // Top and height of a lane.
    [[nodiscard]] QRect lane_rect(int lane) const;

  signals:
    void lane_clicked(int lane);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    void draw_back();
    void draw_lane(QPainter& painter, int lane, const QRect& rect);
    [[nodiscard]] std::int64_t frame_at(double x) const;
    Document& document_;
    Player& player_;
    TimeView& view_;
    TileStore tiles_;
    QPixmap back_;
    bool back_valid_ = false, complete_ = false;
    int chosen_ = 0;
    double press_x_ = -1;
    bool dragging_ = false;
};

}  // namespace rivlen::app
