// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/mix_ruler.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/theme.h"
#include "app/widgets/time_input.h"
#include "core/workflow/looping.h"

namespace rivlen::app {

namespace {
constexpr int kTimecodeHeight = 24;
constexpr int kSamplesHeight = 15;
constexpr int kPictureHeight = 40;
}  // namespace

MixRuler::MixRuler(Document& document, MixPlayer& player, TimeView& view, Selection& selection,
                   QWidget* parent)
    : QWidget(parent), document_(document), player_(player), view_(view), selection_(selection) {
    setFixedHeight(kTimecodeHeight + kSamplesHeight + kPictureHeight + 2);
    new TimeInput(view_, this);
    setAccessibleName(tr("Time and picture track"));
    setToolTip(tr("Click to go there, drag to set the loop. Below, the picture's cuts."));
    connect(&view_, &TimeView::changed, this, qOverload<>(&QWidget::update));
    connect(&selection_, &Selection::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::session_changed, this, qOverload<>(&QWidget::update));
}

QString MixRuler::timecode_of(std::int64_t frame) const {
    const Timeline& r = document_.timeline();
    return QString::fromStdString(
        format_timecode(r.first_timecode_frame + picture_frame_of(r, frame), r.frame_rate, r.drop_frame));
}

QRect MixRuler::picture_rect() const {
    return {0, kTimecodeHeight + kSamplesHeight + 1, width(), kPictureHeight};
}

bool MixRuler::idle() const {
    return std::ranges::all_of(thumbnails_, [](const auto& entry) { return entry.second->idle(); });
}

Thumbnails& MixRuler::thumbnails_of(const std::filesystem::path& path) {
    auto& made = thumbnails_[path];
    if (!made) {
        made = std::make_unique<Thumbnails>(kPictureHeight);
        made->set_picture(path);
        connect(made.get(), &Thumbnails::ready, this, qOverload<>(&QWidget::update));
    }
    return *made;
}

std::int64_t MixRuler::frame_at(double x) const {
    return static_cast<std::int64_t>(std::llround(std::max(0.0, view_.to_seconds(x, width())) *
                                                  std::max(1, document_.timeline().sample_rate)));
}

void MixRuler::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colour::kGround);
    const Timeline& r = document_.timeline();
    if (r.sample_rate == 0) return;
    const int rate = r.sample_rate;
    draw_ruler(painter, view_, QRect(0, 0, width(), kTimecodeHeight), 1.0 / r.frame_rate.per_second(),
               [&](double seconds) { return timecode_of(std::llround(seconds * rate)); });
    painter.fillRect(QRect(0, kTimecodeHeight, width(), kSamplesHeight), colour::kPanel);
    QFont small = number_font();
    small.setPointSizeF(7.5);
    painter.setFont(small);
    painter.setPen(colour::kDim);
    const double wanted = 150.0 * view_.span() * rate / std::max(width(), 1);
    const double step = std::pow(10.0, std::ceil(std::log10(std::max(1.0, wanted))));
    for (auto n = static_cast<std::int64_t>(std::floor(view_.start() * rate / step));
         static_cast<double>(n) * step < (view_.start() + view_.span()) * rate; ++n) {
        const double x = view_.to_x(static_cast<double>(n) * step / rate, width());
        painter.drawLine(QPointF(x, kTimecodeHeight), QPointF(x, kTimecodeHeight + 4));
        painter.drawText(QPointF(x + 4, kTimecodeHeight + 11),
                         QString::number(static_cast<qint64>(static_cast<double>(n) * step)));
    }
    const QRect area = picture_rect();
    painter.fillRect(area, QColor(12, 14, 16));
    for (const auto& cut : r.picture) {
        const double left = view_.frame_x(cut.start, rate, width());
        const double right = view_.frame_x(cut.end(), rate, width());
        if (right < 0 || left > width()) continue;
        thumbnails_of(cut.path).draw(painter, view_, width(), area.top(),
                                     static_cast<double>(cut.offset) / rate,
                                     static_cast<double>(cut.offset + cut.length) / rate,
                                     static_cast<double>(cut.start - cut.offset) / rate);
        const bool chosen = selection_.video_clip() == cut.id;
        painter.setPen(QPen(chosen ? colour::kAct : colour::kDim, chosen ? 2 : 1));
        painter.drawRect(QRectF(left, area.top(), right - left - 1, area.height() - 1));
    }
    if (r.picture.empty()) {
        painter.setPen(colour::kDim);
        painter.drawText(area, Qt::AlignCenter, tr("no picture"));
    }
    if (r.loop) {
        const double left = view_.frame_x(r.loop->first, rate, width());
        const double right = view_.frame_x(r.loop->last, rate, width());
        painter.fillRect(QRectF(left, kTimecodeHeight - 4, right - left, 4),
                         r.loop_on ? colour::kAct : colour::kLine);
    }
    const double x = view_.frame_x(player_.position(), rate, width());
    painter.setPen(QPen(colour::kAct, 1.4));
    painter.drawLine(QPointF(x, 0), QPointF(x, height()));
}

void MixRuler::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    if (picture_rect().contains(event->position().toPoint())) {
        const VideoClip* cut = picture_at(document_.timeline(), frame_at(event->position().x()));
        selection_.choose_picture(cut != nullptr ? cut->id : 0);
        player_.locate(frame_at(event->position().x()));
        return;
    }
    press_x_ = event->position().x();
    dragging_ = false;
}

void MixRuler::mouseMoveEvent(QMouseEvent* event) {
    if (press_x_ < 0 || (!dragging_ && std::abs(event->position().x() - press_x_) < kDragPixels)) return;
    dragging_ = true;
    const auto a =
        on_picture_frame(document_.timeline(), frame_at(std::min(press_x_, event->position().x())));
    const auto b =
        on_picture_frame(document_.timeline(), frame_at(std::max(press_x_, event->position().x())));
    if (b <= a) return;
    document_.edit_timeline(tr("Loop range"), "mix loop", [&](Timeline& r) {
        r.loop = loop_between(a, b, kNoEnd, r.sample_rate);
        r.loop_on = true;
    });
}

void MixRuler::mouseReleaseEvent(QMouseEvent* event) {
    if (press_x_ >= 0 && !dragging_) player_.locate(frame_at(event->position().x()));
    if (dragging_) document_.close_step();
    press_x_ = -1;
    dragging_ = false;
    update();
}

}  // namespace rivlen::app
