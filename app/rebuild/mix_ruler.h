// SPDX-License-Identifier: GPL-3.0-or-later
// Timecode, samples, the loop and the picture track of the rebuild.
#pragma once

#include <QWidget>
#include <map>
#include <memory>

#include "app/shell/document.h"
#include "app/shell/selection.h"
#include "app/widgets/thumbnails.h"
#include "app/widgets/time_view.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

class MixRuler : public QWidget {
    Q_OBJECT
  public:
    MixRuler(Document& document, MixPlayer& player, TimeView& view, Selection& selection,
             QWidget* parent = nullptr);
    [[nodiscard]] QString timecode_of(std::int64_t frame) const;
    [[nodiscard]] QRect picture_rect() const;
    // Where a marker's flag lies.
    [[nodiscard]] QRect marker_rect(const Marker& marker) const;
    [[nodiscard]] bool idle() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] std::int64_t frame_at(double x) const;
    [[nodiscard]] const Marker* marker_at(const QPoint& place) const;
    void draw_markers(QPainter& painter) const;
    void edit_name(const Marker& marker);
    Thumbnails& thumbnails_of(const std::filesystem::path& path);
    Document& document_;
    MixPlayer& player_;
    TimeView& view_;
    Selection& selection_;
    std::map<std::filesystem::path, std::unique_ptr<Thumbnails>> thumbnails_;
    double press_x_ = -1;
    bool dragging_ = false;
    int held_marker_ = 0;  // id; 0: none
};

}  // namespace rivlen::app
