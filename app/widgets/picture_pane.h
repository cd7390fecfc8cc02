// SPDX-License-Identifier: GPL-3.0-or-later
// The picture under the playhead, decoded on a thread of its own.
#pragma once

#include <QImage>
#include <QThreadPool>
#include <QWidget>
#include <filesystem>
#include <memory>
#include <optional>

#include "core/media/picture.h"

namespace rivlen::app {

class PicturePane : public QWidget {
    Q_OBJECT
  public:
    explicit PicturePane(QWidget* parent = nullptr);
    ~PicturePane() override;
    void set_picture(const std::filesystem::path& path);  // empty: none
    void show_time(double seconds);
    // While pointing, a press or a drag in the picture tells where; a mark stands at a place, if there is one
    // (from 0 at its left and top edges to 1).
    void set_pointing(bool on);
    // The next drag draws a box instead (boxed), or is given up by a click.
    void take_box();
    [[nodiscard]] bool taking_box() const { return taking_box_; }
    void show_mark(std::optional<QPointF> at);
    // Lies over the picture, stretched to it; null: nothing does.
    void show_map(const QImage& map);
    [[nodiscard]] const QImage& map() const { return map_; }
    [[nodiscard]] std::optional<QPointF> mark() const { return mark_; }
    [[nodiscard]] QRect picture_rect() const;
    [[nodiscard]] double aspect() const;  // width by height; 16 by 9 where there is none
    [[nodiscard]] double shown_seconds() const { return shown_seconds_; }
    [[nodiscard]] QSize sizeHint() const override { return {320, 180}; }

  signals:
    void pointed(QPointF at);
    void pointing_ended();
    void boxed(QRectF box);  // of the picture, from 0 to 1

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void decode();
    void point(QPointF at);
    [[nodiscard]] QPointF in_picture(QPointF at) const;
    bool taking_box_ = false;
    QPointF box_begins_, box_ends_;  // of the picture
    bool pointing_ = false, pressed_ = false;
    std::optional<QPointF> mark_;
    std::filesystem::path path_;
    QImage image_, map_;
    double wanted_seconds_ = 0, shown_seconds_ = -1;
    bool decoding_ = false, again_ = false;
    int generation_ = 0;
    QThreadPool pool_;
    std::shared_ptr<PictureReader> reader_;  // used on the pool's one thread only
};

}  // namespace rivlen::app
