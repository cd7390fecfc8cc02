// SPDX-License-Identifier: GPL-3.0-or-later
// The picture under the playhead, decoded on a thread of its own.
#pragma once

#include <QImage>
#include <QThreadPool>
#include <QWidget>
#include <filesystem>
#include <memory>

#include "core/media/picture.h"

namespace rivlen::app {

class PicturePane : public QWidget {
    Q_OBJECT
  public:
    explicit PicturePane(QWidget* parent = nullptr);
    ~PicturePane() override;
    void set_picture(const std::filesystem::path& path);  // empty: none
    void show_time(double seconds);
    [[nodiscard]] double shown_seconds() const { return shown_seconds_; }
    [[nodiscard]] QSize sizeHint() const override { return {320, 180}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void decode();
    std::filesystem::path path_;
    QImage image_;
    double wanted_seconds_ = 0, shown_seconds_ = -1;
    bool decoding_ = false, again_ = false;
    int generation_ = 0;
    QThreadPool pool_;
    std::shared_ptr<PictureReader> reader_;  // used on the pool's one thread only
};

}  // namespace rivlen::app
