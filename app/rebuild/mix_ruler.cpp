// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/mix_ruler.h"

#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "app/widgets/time_input.h"
#include "core/project/markers.h"
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
    setToolTip(
        tr("Click to go there, drag to set the loop. Markers are moved by dragging, named by a double click. "
           "Below, the picture's cuts."));
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

QRect MixRuler::marker_rect(const Marker& marker) const {
    constexpr int kMargin = 5, kWidest = 120;
    const int rate = std::max(1, document_.timeline().sample_rate);
    const int wanted = QFontMetrics(font()).horizontalAdvance(text(marker.name)) + 2 * kMargin;
    return {static_cast<int>(std::lround(view_.frame_x(marker.frame, rate, width()))), kTimecodeHeight,
            std::clamp(wanted, 2 * kMargin, kWidest), kSamplesHeight};
}

// Of flags that overlap, the later one lies on top.
const Marker* MixRuler::marker_at(const QPoint& place) const {
    const auto& markers = document_.timeline().markers;
    const auto found = std::find_if(markers.rbegin(), markers.rend(),
                                    [&](const Marker& m) { return marker_rect(m).contains(place); });
    return found != markers.rend() ? &*found : nullptr;
}

void MixRuler::draw_markers(QPainter& painter) const {
    painter.setFont(font());
    for (const auto& marker : document_.timeline().markers) {
        const QRect flag = marker_rect(marker);
        if (flag.right() < 0 || flag.left() > width()) continue;
        painter.fillRect(flag, colour::kText);
        painter.setPen(colour::kGround);
        painter.drawText(
            flag.adjusted(4, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft,
            QFontMetrics(font()).elidedText(text(marker.name), Qt::ElideRight, flag.width() - 6));
        painter.setPen(colour::kText);
        painter.drawLine(flag.left(), 0, flag.left(), height());
    }
}

// In place, over its flag.
void MixRuler::edit_name(const Marker& marker) {
    auto* line = new QLineEdit(text(marker.name), this);
    line->setObjectName("marker_name");
    line->setAccessibleName(tr("Name of the marker"));
    constexpr int kWidth = 160;
    line->setGeometry(marker_rect(marker).left(), 0, kWidth, kTimecodeHeight);
    connect(line, &QLineEdit::editingFinished, this, [this, line, id = marker.id] {
        const std::string name = line->text().trimmed().toStdString();
        line->deleteLater();
        document_.edit_timeline(tr("Marker"), {}, [&](Timeline& r) { rename_marker(r, id, name); });
    });
    line->show();
    line->selectAll();
    line->setFocus();
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
    draw_markers(painter);
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
    const Marker* marker = marker_at(event->position().toPoint());
    held_marker_ = marker != nullptr ? marker->id : 0;
}

void MixRuler::mouseDoubleClickEvent(QMouseEvent* event) {
    if (const Marker* marker = marker_at(event->position().toPoint())) edit_name(*marker);
}

void MixRuler::mouseMoveEvent(QMouseEvent* event) {
    if (press_x_ < 0 || (!dragging_ && std::abs(event->position().x() - press_x_) < kDragPixels)) return;
    dragging_ = true;
    if (held_marker_ != 0) {
        const std::int64_t to = on_picture_frame(document_.timeline(), frame_at(event->position().x()));
        document_.edit_timeline(tr("Marker"), "move marker",
                                [&](Timeline& r) { move_marker(r, held_marker_, to); });
        return;
    }
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
    const auto marker = std::ranges::find(document_.timeline().markers, held_marker_, &Marker::id);
    const bool on_marker = marker != document_.timeline().markers.end();
    if (press_x_ >= 0 && !dragging_)
        player_.locate(on_marker ? marker->frame : frame_at(event->position().x()));
    if (dragging_) document_.close_step();
    press_x_ = -1;
    held_marker_ = 0;
    dragging_ = false;
    update();
}

}  // namespace rivlen::app
