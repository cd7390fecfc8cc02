// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/clip_painter.h"

#include <QPainterPath>
#include <cmath>

#include "app/widgets/theme.h"
#include "core/dsp/decibels.h"

namespace rivlen::app {

namespace {
constexpr int kNameHeight = 15;
constexpr double kSmoothSeconds = 120;
constexpr double kStemOutline = 1.6;  // peak over RMS, for the eye
}  // namespace

ClipPainter::ClipPainter(Document& document, QObject* parent) : QObject(parent), document_(document) {}

QColor ClipPainter::colour_of(ClipSource clip_source) {
    const auto stem = stem_of_clip_source(clip_source);
    return stem ? stem_colour(*stem) : colour::kText;
}

bool ClipPainter::idle() const {
    return std::ranges::all_of(stores_, [](const auto& entry) { return entry.second->idle(); });
}

TileStore* ClipPainter::tiles_of(const Clip& clip) {
    const Material* material = document_.material_of(clip.path);
    if (material == nullptr || !material->at_session_rate) return nullptr;
    auto& store = stores_[clip.path];
    if (!store) {
        store = std::make_unique<TileStore>();
        connect(store.get(), &TileStore::ready, this, &ClipPainter::ready);
    }
    store->set_material(material->at_session_rate, material->map);
    return store.get();
}

bool ClipPainter::draw(QPainter& painter, const Clip& clip, const QRect& row, const TimeView& view, int width,
                       const QRect& visible, bool chosen, bool audible) {
    const int rate = std::max(1, document_.timeline().sample_rate);
    const double left = view.frame_x(clip.start, rate, width);
    const double right = view.frame_x(clip.end(), rate, width);
    const QRectF box(left, row.top() + 1, std::max(1.0, right - left), row.height() - 2);
    const QRectF seen = box.intersected(visible);
    if (seen.isEmpty()) return true;
    const QColor tint = colour_of(clip.clip_source);
    painter.save();
    painter.setClipRect(seen, Qt::IntersectClip);
    painter.fillRect(seen, QColor(12, 14, 16));
    bool complete = true;
    TileStore* store = tiles_of(clip);
    const QRectF body = box.adjusted(0, kNameHeight, 0, 0);
    if (store == nullptr) {
        painter.setPen(colour::kDim);
        const Material* material = document_.material_of(clip.path);
        painter.drawText(
            body, Qt::AlignCenter,
            material == nullptr || !material->trouble.isEmpty() ? tr("missing") : tr("reading…"));
        complete = material != nullptr && !material->trouble.isEmpty();
    } else if (stem_of_clip_source(clip.clip_source) && !document_.material_of(clip.path)->map) {
        painter.setPen(colour::kDim);
        painter.drawText(body, Qt::AlignCenter, tr("not split yet"));
    } else {
        const double frames_per_pixel = view.span() * rate / std::max(width, 1);
        const int level =
            std::max(4, static_cast<int>(std::floor(std::log2(std::max(frames_per_pixel, 1.0)))));
        const double per_column = std::ldexp(1.0, level);
        const double tile_frames = per_column * static_cast<double>(kTileColumns);
        const auto stem = stem_of_clip_source(clip.clip_source);
        const double shift = static_cast<double>(clip.start - clip.offset);  // from recording to session
        const auto x_of = [&](double frame) { return view.to_x((frame + shift) / rate, width); };
        const double from_frame =
            std::max(static_cast<double>(clip.offset), view.to_seconds(seen.left(), width) * rate - shift);
        const double to_frame = std::min(static_cast<double>(clip.offset + clip.length),
                                         view.to_seconds(seen.right() + 1, width) * rate - shift);
        // Far out there are more columns than pixels: smoothing would cost much and show nothing.
        painter.setRenderHint(QPainter::SmoothPixmapTransform, view.span() < kSmoothSeconds);
        if (clip.mute || !audible) painter.setOpacity(0.3);
        QPolygonF upper;
        QPolygonF lower;
        const auto draw_outline = [&] {
            painter.setPen(QPen(tint.lighter(125), 1));
            painter.drawPolyline(upper);
            painter.drawPolyline(lower);
            upper.clear();
            lower.clear();
        };
        const double gain = amplitude_of_db(clip.gain_db);
        const double middle = body.center().y();
        for (auto index = static_cast<std::int64_t>(std::floor(from_frame / tile_frames));
             static_cast<double>(index) * tile_frames < to_frame; ++index) {
            const Tile* tile = store->tile({level, index});
            if (tile == nullptr) {
                complete = false;
                draw_outline();
                continue;
            }
            const double first = static_cast<double>(index) * tile_frames;
            painter.drawImage(
                QRectF(x_of(first), body.top(), x_of(first + tile_frames) - x_of(first), body.height()),
                tile->images[stem ? 1 + *stem : 0]);
            const Overview& o = tile->overview;
            const auto begin =
                static_cast<std::size_t>(std::clamp((from_frame - first) / per_column - 2, 0.0, 255.0));
            for (std::size_t c = begin; c < o.columns; ++c) {
                const double frame = first + (static_cast<double>(c) + 0.5) * per_column;
                if (frame < static_cast<double>(clip.offset)) continue;
                if (frame > to_frame + 2 * per_column ||
                    frame >= static_cast<double>(clip.offset + clip.length))
                    break;
                auto high = static_cast<double>(o.highest[c]);
                auto low = static_cast<double>(o.lowest[c]);
                if (stem) {
                    high = kStemOutline * static_cast<double>(o.outline[*stem][c]);
                    low = -high;
                }
                double shape = gain;
                const double into = frame - static_cast<double>(clip.offset);
                if (clip.fade_in.frames > 0)
                    shape *= fade_gain(clip.fade_in.shape, into / static_cast<double>(clip.fade_in.frames));
                if (clip.fade_out.frames > 0)
                    shape *= fade_gain(clip.fade_out.shape, (static_cast<double>(clip.length) - into) /
                                                                static_cast<double>(clip.fade_out.frames));
                const auto y = [&](double value) {
                    return middle - std::clamp(value * shape, -1.0, 1.0) * body.height() * 0.48;
                };
                const double x = x_of(frame);
                upper << QPointF(x, y(high));
                lower << QPointF(x, y(low));
            }
        }
        draw_outline();
        painter.setOpacity(1);
    }
    // Fades: what is taken away is shaded.
    painter.setRenderHint(QPainter::Antialiasing);
    const auto shade = [&](const Fade& fade, bool in) {
        if (fade.frames <= 0) return;
        const double x0 = in ? left : right;
        const double x1 = view.frame_x(in ? clip.start + fade.frames : clip.end() - fade.frames, rate, width);
        QPainterPath path(QPointF(x0, body.top()));
        constexpr int kSteps = 24;
        for (int i = 0; i <= kSteps; ++i) {
            const double part = static_cast<double>(i) / kSteps;
            path.lineTo(x0 + (x1 - x0) * part, body.bottom() - fade_gain(fade.shape, part) * body.height());
        }
        path.lineTo(x0, body.top());
        QColor dark = colour::kGround;
        dark.setAlpha(170);
        painter.fillPath(path, dark);
        painter.setPen(QPen(colour::kText, 1));
        painter.drawLine(QPointF(x1, body.top()), QPointF(x1, body.top() + 6));
    };
    shade(clip.fade_in, true);
    shade(clip.fade_out, false);
    QColor head = tint;
    head.setAlpha(chosen ? 255 : clip.mute ? 40 : 95);
    painter.fillRect(QRectF(box.left(), box.top(), box.width(), kNameHeight), head);
    painter.setPen(chosen ? colour::kGround : colour::kText);
    QString name = QString::fromStdString(clip.path.stem().string());
    if (clip.gain_db != 0) name += tr("  %1 dB").arg(clip.gain_db, 0, 'f', 1);
    if (clip.mute) name += tr("  muted");
    // Where it stands does not depend on what is being painted anew.
    const double text_left = std::max(box.left(), 0.0) + 4;
    const QRectF text(text_left, box.top(), std::min<double>(box.right(), width) - text_left - 2,
                      kNameHeight);
    if (text.width() > 14) painter.drawText(text, Qt::AlignVCenter | Qt::AlignLeft, name);
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(chosen ? colour::kAct : colour::kLine, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(box.adjusted(0, 0, -1, -1));
    painter.restore();
    return complete;
}

}  // namespace rivlen::app
