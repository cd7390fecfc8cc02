// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/clip_painter.h"

#include <QPainterPath>
#include <cmath>

#include "app/widgets/sound_painter.h"
#include "app/widgets/theme.h"
#include "core/dsp/decibels.h"

namespace rivlen::app {

namespace {
constexpr int kNameHeight = 15;
constexpr double kSmoothSeconds = 120;
}  // namespace

ClipPainter::ClipPainter(Document& document, QObject* parent) : QObject(parent), document_(document) {}

QColor ClipPainter::colour_of(ClipSource clip_source) {
    const auto stem = sound_of_clip_source(clip_source);
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

bool ClipPainter::draw(QPainter& painter, const Clip& clip, const Clip& played, const QRect& row,
                       const TimeView& view, int width, const QRect& visible, bool chosen, bool audible) {
    const int rate = std::max(1, document_.timeline().sample_rate);
    const auto box_of = [&](const Clip& c) {
        const double left = view.frame_x(c.start, rate, width), right = view.frame_x(c.end(), rate, width);
        return QRectF(left, row.top() + 1, std::max(1.0, right - left), row.height() - 2);
    };
    const QRectF box = box_of(clip), body = box_of(played).adjusted(0, kNameHeight, 0, 0);
    const QRectF seen = box.united(body).intersected(visible);
    if (seen.isEmpty()) return true;
    painter.save();
    painter.setClipRect(seen, Qt::IntersectClip);
    painter.fillRect(seen, QColor(12, 14, 16));
    const bool complete = draw_body(painter, played, body, seen, view, width, audible);
    draw_fade(painter, played, body, view, width, true);
    draw_fade(painter, played, body, view, width, false);
    draw_head(painter, clip, box, width, chosen);
    painter.restore();
    return complete;
}

bool ClipPainter::draw_body(QPainter& painter, const Clip& clip, const QRectF& body, const QRectF& seen,
                            const TimeView& view, int width, bool audible) {
    const Material* material = document_.material_of(clip.path);
    const auto stem = sound_of_clip_source(clip.clip_source);
    TileStore* store = tiles_of(clip);
    painter.setPen(colour::kDim);
    if (store == nullptr) {
        const bool missing = material == nullptr || !material->trouble.isEmpty();
        painter.drawText(body, Qt::AlignCenter, missing ? tr("missing") : tr("reading…"));
        return material != nullptr && missing;
    }
    if (stem && !material->map) {
        painter.drawText(body, Qt::AlignCenter, tr("not split yet"));
        return true;
    }
    if (plays_music_part(clip.clip_source) && !material->map->opens_music()) {
        painter.drawText(body, Qt::AlignCenter, tr("its music is not open yet"));
        return true;
    }
    SoundLook look;
    look.body = body;
    look.sample_rate = std::max(1, document_.timeline().sample_rate);
    look.shift_frames = static_cast<double>(clip.start - clip.offset);
    const auto frame_at = [&](double x) {
        return view.to_seconds(x, width) * look.sample_rate - look.shift_frames;
    };
    look.from_frame = std::max(static_cast<double>(clip.offset), frame_at(seen.left()));
    look.to_frame = std::min(static_cast<double>(clip.offset + clip.length), frame_at(seen.right() + 1));
    look.stem = stem;
    look.outline = colour_of(clip.clip_source).lighter(125);
    look.shape = [&clip, gain = amplitude_of_db(clip.gain_db)](double frame) {
        return gain * clip_fade_gain(clip, frame - static_cast<double>(clip.offset));
    };
    // Far out there are more columns than pixels: smoothing would cost much and show nothing.
    painter.setRenderHint(QPainter::SmoothPixmapTransform, view.span() < kSmoothSeconds);
    if (clip.mute || !audible) painter.setOpacity(0.3);
    const bool complete = draw_sound(painter, *store, view, width, look);
    painter.setOpacity(1);
    return complete;
}

// What a fade takes away is shaded.
void ClipPainter::draw_fade(QPainter& painter, const Clip& clip, const QRectF& body, const TimeView& view,
                            int width, bool in) {
    const Fade& fade = in ? clip.fade_in : clip.fade_out;
    if (fade.frames <= 0) return;
    const int rate = std::max(1, document_.timeline().sample_rate);
    const double x0 = view.frame_x(in ? clip.start : clip.end(), rate, width);
    const double x1 = view.frame_x(in ? clip.start + fade.frames : clip.end() - fade.frames, rate, width);
    if (std::abs(x1 - x0) < 1) return;  // nothing to be seen, and hundreds of them in a long session
    QPainterPath path(QPointF(x0, body.top()));
    constexpr int kSteps = 24;
    for (int i = 0; i <= kSteps; ++i) {
        const double part = static_cast<double>(i) / kSteps;
        path.lineTo(x0 + (x1 - x0) * part, body.bottom() - fade_gain(fade.shape, part) * body.height());
    }
    path.lineTo(x0, body.top());
    QColor dark = colour::kGround;
    dark.setAlpha(170);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillPath(path, dark);
    painter.setPen(QPen(colour::kText, 1));
    painter.drawLine(QPointF(x1, body.top()), QPointF(x1, body.top() + 6));
}

void ClipPainter::draw_head(QPainter& painter, const Clip& clip, const QRectF& box, int width, bool chosen) {
    painter.setRenderHint(QPainter::Antialiasing, false);
    QColor head = colour_of(clip.clip_source);
    head.setAlpha(chosen ? 255 : clip.mute ? 40 : 95);
    painter.fillRect(QRectF(box.left(), box.top(), box.width(), kNameHeight), head);
    painter.setPen(chosen ? colour::kGround : colour::kText);
    QString name = QString::fromStdString(clip.path.stem().string());
    if (clip.gain_db != 0) name += tr("  %1 dB").arg(clip.gain_db, 0, 'f', 1);
    if (clip.mute) name += tr("  muted");
    if (clip.room_tone) name += tr("  room tone");
    // Where it stands does not depend on what is being painted anew.
    const double text_left = std::max(box.left(), 0.0) + 4;
    const QRectF place(text_left, box.top(), std::min<double>(box.right(), width) - text_left - 2,
                       kNameHeight);
    if (place.width() > 14) painter.drawText(place, Qt::AlignVCenter | Qt::AlignLeft, name);
    painter.setPen(QPen(chosen ? colour::kAct : colour::kLine, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(box.adjusted(0, 0, -1, -1));
}

}  // namespace rivlen::app
