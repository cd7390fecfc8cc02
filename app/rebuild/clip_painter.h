// SPDX-License-Identifier: GPL-3.0-or-later
// Clips as they are seen: the waveform on the spectrogram of what they play, fades, name, gain.
#pragma once

#include <QPainter>
#include <map>
#include <memory>

#include "app/shell/document.h"
#include "app/widgets/tiles.h"
#include "app/widgets/time_view.h"

namespace rivlen::app {

class ClipPainter : public QObject {
    Q_OBJECT
  public:
    explicit ClipPainter(Document& document, QObject* parent = nullptr);
    // played: the same with the fades that its edges get by themselves, for which it may be longer. rect: the
    // row; only what lies within `visible` is drawn. False while tiles are still being made.
    bool draw(QPainter& painter, const Clip& clip, const Clip& played, const QRect& row, const TimeView& view,
              int width, const QRect& visible, bool chosen, bool audible);
    [[nodiscard]] bool idle() const;
    [[nodiscard]] static QColor colour_of(ClipSource clip_source);

  signals:
    void ready();

  private:
    bool draw_body(QPainter& painter, const Clip& clip, const QRectF& body, const QRectF& seen,
                   const TimeView& view, int width, bool audible);
    void draw_fade(QPainter& painter, const Clip& clip, const QRectF& body, const TimeView& view, int width,
                   bool in);
    static void draw_head(QPainter& painter, const Clip& clip, const QRectF& box, int width, bool chosen);
    TileStore* tiles_of(const Clip& clip);
    Document& document_;
    std::map<std::filesystem::path, std::unique_ptr<TileStore>> stores_;
};

}  // namespace rivlen::app
