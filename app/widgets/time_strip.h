// SPDX-License-Identifier: GPL-3.0-or-later
// Thumbnails of the picture, a ruler in timecode (or minutes and seconds), and the loop range.
#pragma once

#include <QWidget>

#include "app/shell/document.h"
#include "app/widgets/thumbnails.h"
#include "app/widgets/time_view.h"
#include "core/media/timecode.h"
#include "core/play/player.h"

namespace rivlen::app {

// How times of a recording are written: from its picture's rate and start timecode when there is a picture.
class TimeText {
  public:
    TimeText() = default;
    explicit TimeText(const MediaInfo& info);
    [[nodiscard]] QString of(double seconds) const;
    [[nodiscard]] bool has_timecode() const { return timecode_; }
    [[nodiscard]] double frame_seconds() const { return timecode_ ? 1.0 / rate_.per_second() : 0.01; }

  private:
    bool timecode_ = false, drop_ = false;
    FrameRate rate_;
    std::int64_t start_frame_ = 0;
};

class TimeStrip : public QWidget {
    Q_OBJECT
  public:
    TimeStrip(Document& document, Player& player, TimeView& view, QWidget* parent = nullptr);
    [[nodiscard]] const TimeText& time_text() const { return text_; }
    [[nodiscard]] bool idle() const { return thumbnails_.idle(); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;

  private:
    void follow_material();
    void go_to(double x);
    Document& document_;
    Player& player_;
    TimeView& view_;
    TimeText text_;
    Thumbnails thumbnails_;
};

}  // namespace rivlen::app
