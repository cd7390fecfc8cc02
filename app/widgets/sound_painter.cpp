// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/sound_painter.h"

#include <QPolygonF>
#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"

namespace rivlen::app {

namespace {

constexpr double kStemOutline = 1.6;    // peak over RMS, for the eye
constexpr double kOutlineShare = 0.48;  // of the height, at full scale
constexpr int kFinestLevel = 4;

// Columns of the next finer power of two, drawn scaled, so that zooming glides.
int level_for(double frames_per_pixel) {
    return std::max(kFinestLevel, static_cast<int>(std::floor(std::log2(std::max(frames_per_pixel, 1.0)))));
}

class Outline {
  public:
    Outline(QPainter& painter, const SoundLook& look) : painter_(painter), look_(look) {}
    void add(double x, double frame, double high, double low) {
        const double shape = look_.shape ? look_.shape(frame) : 1.0;
        const auto y = [&](double value) {
            return look_.body.center().y() -
                   std::clamp(value * shape, -1.0, 1.0) * look_.body.height() * kOutlineShare;
        };
        upper_ << QPointF(x, y(high));
        lower_ << QPointF(x, y(low));
    }
    void draw() {
        painter_.setPen(QPen(look_.outline, 1));
        painter_.drawPolyline(upper_);
        painter_.drawPolyline(lower_);
        upper_.clear();
        lower_.clear();
    }

  private:
    QPainter& painter_;
    const SoundLook& look_;
    QPolygonF upper_, lower_;
};

}  // namespace

bool draw_sound(QPainter& painter, TileStore& tiles, const TimeView& view, int width, const SoundLook& look) {
    const int level = level_for(view.span() * look.sample_rate / std::max(width, 1));
    const double per_column = std::ldexp(1.0, level);
    const double tile_frames = per_column * static_cast<double>(kTileColumns);
    const auto x_of = [&](double frame) {
        return view.to_x((frame + look.shift_frames) / look.sample_rate, width);
    };
    Outline outline(painter, look);
    bool complete = true;
    painter.save();
    for (auto index = static_cast<std::int64_t>(std::floor(look.from_frame / tile_frames));
         static_cast<double>(index) * tile_frames < look.to_frame; ++index) {
        const double first = static_cast<double>(index) * tile_frames;
        const Tile* tile = tiles.tile({level, index});
        // A view may be painted between a split and the moment at which its tiles hear of it.
        if (tile == nullptr || (look.stem && tile->overview.outline[*look.stem].empty())) {
            complete = false;
            outline.draw();
            continue;
        }
        painter.setRenderHint(QPainter::Antialiasing, false);
        painter.drawImage(
            QRectF(x_of(first), look.body.top(), x_of(first + tile_frames) - x_of(first), look.body.height()),
            tile->images[look.stem ? 1 + *look.stem : 0]);
        const Overview& o = tile->overview;
        const double columns_before = (look.from_frame - first) / per_column - 2;
        const auto begin =
            static_cast<std::size_t>(std::clamp(columns_before, 0.0, static_cast<double>(kTileColumns - 1)));
        for (std::size_t c = begin; c < o.columns; ++c) {
            const double frame = first + (static_cast<double>(c) + 0.5) * per_column;
            if (frame > look.to_frame + 2 * per_column) break;
            auto high = static_cast<double>(o.highest[c]);
            auto low = static_cast<double>(o.lowest[c]);
            if (look.stem) {
                high = kStemOutline * static_cast<double>(o.outline[*look.stem][c]);
                low = -high;
            }
            outline.add(x_of(frame), frame, high, low);
        }
    }
    painter.setRenderHint(QPainter::Antialiasing, look.antialiased);
    outline.draw();
    painter.restore();
    return complete;
}

std::optional<double> level_of_sound(TileStore& tiles, const TimeView& view, int width, int sample_rate,
                                     double seconds, double height, std::optional<std::size_t> stem) {
    const int level = level_for(view.span() * sample_rate / std::max(width, 1));
    const double column = seconds * sample_rate / std::ldexp(1.0, level);
    const auto index = static_cast<std::int64_t>(std::floor(column / static_cast<double>(kTileColumns)));
    const Tile* tile = tiles.tile({level, index});
    if (tile == nullptr || column < 0) return {};
    const Overview& o = tile->overview;
    const auto c = std::min(static_cast<std::size_t>(column) % kTileColumns, o.columns - 1);
    const auto row = static_cast<std::size_t>(std::lround(height * static_cast<double>(o.rows - 1)));
    const std::size_t at = c * o.rows + row;
    const double db = dbfs_of_code(o.level[at]);
    if (!stem || o.share[*stem].empty()) return db;
    return db + db_of_amplitude(std::max(1.0, static_cast<double>(o.share[*stem][at])) / 255);
}

}  // namespace rivlen::app
