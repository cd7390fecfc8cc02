// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/time_strip.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/theme.h"
#include "app/widgets/time_input.h"

namespace rivlen::app {

namespace {
constexpr int kRulerHeight = 24;
constexpr int kThumbHeight = 54;
}  // namespace

TimeText::TimeText(const MediaInfo& info) {
    if (!info.picture || info.picture->frame_rate_num <= 0) return;
    timecode_ = true;
    rate_ = {info.picture->frame_rate_num, info.picture->frame_rate_den};
    drop_ = info.picture->timecode.find(';') != std::string::npos;
    start_frame_ = parse_timecode(info.picture->timecode, rate_).value_or(0);
}

QString TimeText::of(double seconds) const {
    if (timecode_) {
        const auto frame =
            start_frame_ + static_cast<std::int64_t>(std::floor(seconds * rate_.per_second() + 1e-6));
        return QString::fromStdString(format_timecode(frame, rate_, drop_));
    }
    const auto ms = static_cast<qint64>(std::llround(seconds * 1000));
    return QString("%1:%2.%3")
        .arg(ms / 60000)
        .arg(ms / 1000 % 60, 2, 10, QChar('0'))
        .arg(ms % 1000, 3, 10, QChar('0'));
}

TimeStrip::TimeStrip(Document& document, Player& player, TimeView& view, QWidget* parent)
    : QWidget(parent), document_(document), player_(player), view_(view), thumbnails_(kThumbHeight) {
    connect(&thumbnails_, &Thumbnails::ready, this, qOverload<>(&QWidget::update));
    setFixedHeight(kRulerHeight);
    new TimeInput(view_, this);
    setAccessibleName(tr("Time strip"));
    setToolTip(tr("Click or drag to go there; drag over the lanes to set the loop."));
    connect(&view_, &TimeView::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::material_changed, this, &TimeStrip::follow_material);
    connect(&document_, &Document::session_changed, this, qOverload<>(&QWidget::update));
}

void TimeStrip::follow_material() {
    const Material* material = document_.current_material();
    const bool ready = material != nullptr && material->source;
    text_ = ready ? TimeText(material->info) : TimeText();
    thumbnails_.set_picture(ready && material->info.picture ? material->source->original()
                                                            : std::filesystem::path());
    setFixedHeight(thumbnails_.path().empty() ? kRulerHeight : kRulerHeight + kThumbHeight);
    update();
}

void TimeStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colour::kGround);
    const auto source = document_.source();
    if (!source) return;
    const int ruler_top = height() - kRulerHeight;
    thumbnails_.draw(painter, view_, width(), 0, 0, source->seconds(), 0);
    draw_ruler(painter, view_, QRect(0, ruler_top, width(), kRulerHeight), text_.frame_seconds(),
               [this](double seconds) { return text_.of(seconds); });
    const auto* item = document_.current_item();
    if (item != nullptr && item->loop) {
        const double left = view_.frame_x(item->loop->first, source->sample_rate(), width());
        const double right = view_.frame_x(item->loop->last, source->sample_rate(), width());
        painter.fillRect(QRectF(left, height() - 4, right - left, 4),
                         item->loop_on ? colour::kAct : colour::kLine);
    }
    // What the model is taught from, in the colour of what sounds there.
    for (const auto& mark : item != nullptr ? item->marks : std::vector<TeachingMark>()) {
        const double left = view_.frame_x(mark.first, source->sample_rate(), width());
        const double right = view_.frame_x(mark.last, source->sample_rate(), width());
        painter.fillRect(QRectF(left, height() - 9, right - left, 4), stem_colour(mark.sound()));
    }
    const double x = view_.frame_x(player_.position(), source->sample_rate(), width());
    painter.setPen(QPen(colour::kAct, 1.4));
    painter.drawLine(QPointF(x, 0), QPointF(x, height()));
}

void TimeStrip::go_to(double x) {
    const auto source = document_.source();
    if (!source) return;
    const double seconds = std::clamp(view_.to_seconds(x, width()), 0.0, view_.total());
    player_.locate(static_cast<std::int64_t>(seconds * source->sample_rate()));
    update();
}

void TimeStrip::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) go_to(event->position().x());
}

void TimeStrip::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & Qt::LeftButton) go_to(event->position().x());
}

}  // namespace rivlen::app
