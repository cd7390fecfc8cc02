// SPDX-License-Identifier: GPL-3.0-or-later
// Small pictures out of a file, made in the background and kept.
#pragma once

#include <QImage>
#include <QMap>
#include <QObject>
#include <QPainter>
#include <QSet>
#include <QThreadPool>
#include <filesystem>
#include <functional>
#include <memory>

#include "app/widgets/time_view.h"
#include "core/media/picture.h"

namespace rivlen::app {

class Thumbnails : public QObject {
    Q_OBJECT
  public:
    Thumbnails(int height, QObject* parent = nullptr);
    ~Thumbnails() override;
    void set_picture(const std::filesystem::path& path);  // empty: none
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }
    [[nodiscard]] bool idle() const { return pending_.isEmpty(); }
    // Draws those of [first, last) seconds of the picture into the stretch of the view that begins `shift`
    // seconds later than they do.
    void draw(QPainter& painter, const TimeView& view, int width, int top, double first, double last,
              double shift);

  signals:
    void ready();

  private:
    void want(std::int64_t millisecond);
    int height_;
    double aspect_ = 16.0 / 9.0;
    std::filesystem::path path_;
    int generation_ = 0;
    QMap<std::int64_t, QImage> images_;  // by milliseconds
    QSet<std::int64_t> pending_;
    QThreadPool pool_;
    std::shared_ptr<PictureReader> reader_;  // used on the pool's one thread only
};

// Marks and labels of a time ruler. label(seconds): text; least_seconds: marks are not closer than this.
void draw_ruler(QPainter& painter, const TimeView& view, const QRect& rect, double least_seconds,
                const std::function<QString(double)>& label);

}  // namespace rivlen::app
