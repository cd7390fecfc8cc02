// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/picture_pane.h"

#include <QMetaObject>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <utility>

#include "app/widgets/theme.h"

namespace rivlen::app {

PicturePane::PicturePane(QWidget* parent) : QWidget(parent) {
    pool_.setMaxThreadCount(1);
    setMinimumHeight(150);
    setAccessibleName(tr("Picture"));
}

PicturePane::~PicturePane() {
    pool_.clear();
    pool_.waitForDone();
}

void PicturePane::set_picture(const std::filesystem::path& path) {
    if (path == path_) return;
    pool_.waitForDone();
    path_ = path;
    ++generation_;
    reader_.reset();
    image_ = {};
    shown_seconds_ = -1;
    decoding_ = again_ = false;
    setVisible(!path_.empty());
    if (!path_.empty()) decode();
}

void PicturePane::show_time(double seconds) {
    if (path_.empty() || seconds == wanted_seconds_) return;
    wanted_seconds_ = seconds;
    if (decoding_) {
        again_ = true;
    } else {
        decode();
    }
}

void PicturePane::decode() {
    decoding_ = true;
    again_ = false;
    pool_.start([this, path = path_, at = wanted_seconds_, box = size() * devicePixelRatioF(),
                 generation = generation_] {
        if (!reader_) {
            auto opened = PictureReader::open(path);
            if (opened) reader_ = std::make_shared<PictureReader>(std::move(*opened));
        }
        QImage image;
        double shown = -1;
        if (reader_) {
            auto frame = reader_->frame_at(at, std::max(64, box.width()), std::max(64, box.height()));
            if (frame) {
                image = QImage(frame->rgb.data(), frame->width, frame->height, frame->width * 3,
                               QImage::Format_RGB888)
                            .copy();
                shown = frame->seconds;
            }
        }
        QMetaObject::invokeMethod(
            this,
            [this, image, shown, generation] {
                if (generation != generation_) return;
                decoding_ = false;
                if (!image.isNull()) image_ = image;
                shown_seconds_ = shown;
                update();
                if (again_) decode();
            },
            Qt::QueuedConnection);
    });
}

// As sharp as its new size and the screen allow.
void PicturePane::resizeEvent(QResizeEvent*) {
    if (path_.empty()) return;
    if (decoding_)
        again_ = true;
    else
        decode();
}

void PicturePane::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), Qt::black);
    if (image_.isNull() || height() == 0) return;
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRect shown = picture_rect();
    painter.drawImage(shown, image_);
    if (!map_.isNull()) painter.drawImage(shown, map_);
    if (taking_box_ && pressed_) {
        const auto spot = [&](QPointF p) {
            return shown.topLeft() + QPointF(p.x() * shown.width(), p.y() * shown.height());
        };
        for (const auto& [colour, width] :
             {std::pair(QColor(Qt::black), 3.0), std::pair(colour::kAct, 1.5)}) {
            painter.setPen(QPen(colour, width));
            painter.drawRect(QRectF(spot(box_begins_), spot(box_ends_)).normalized());
        }
    }
    if (!mark_) return;
    const QPointF at = shown.topLeft() + QPointF(mark_->x() * shown.width(), mark_->y() * shown.height());
    painter.setRenderHint(QPainter::Antialiasing);
    for (const auto& [colour, width] : {std::pair(QColor(Qt::black), 4.0), std::pair(colour::kAct, 2.0)}) {
        painter.setPen(QPen(colour, width));
        painter.drawPolygon(
            QPolygonF({at + QPointF(0, -9), at + QPointF(9, 0), at + QPointF(0, 9), at + QPointF(-9, 0)}));
    }
}

QRect PicturePane::picture_rect() const {
    if (image_.isNull()) return rect();
    const QSize fitted = image_.size().scaled(size(), Qt::KeepAspectRatio);
    return {QPoint((width() - fitted.width()) / 2, (height() - fitted.height()) / 2), fitted};
}

double PicturePane::aspect() const {
    constexpr double kUsualAspect = 16.0 / 9;
    return image_.isNull() ? kUsualAspect : static_cast<double>(image_.width()) / image_.height();
}

void PicturePane::set_pointing(bool on) {
    if (pointing_ == on) return;
    pointing_ = on;
    pressed_ = false;
    setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
    setToolTip(on ? tr("Click where the sound comes from, or drag it along.") : QString());
}

void PicturePane::show_map(const QImage& map) {
    if (map.isNull() && map_.isNull()) return;
    map_ = map;
    update();
}

void PicturePane::show_mark(std::optional<QPointF> at) {
    if (at == mark_) return;
    mark_ = at;
    update();
}

QPointF PicturePane::in_picture(QPointF at) const {
    const QRect shown = picture_rect();
    return {std::clamp((at.x() - shown.left()) / shown.width(), 0.0, 1.0),
            std::clamp((at.y() - shown.top()) / shown.height(), 0.0, 1.0)};
}

void PicturePane::point(QPointF at) {
    emit pointed(in_picture(at));
}

void PicturePane::take_box() {
    taking_box_ = true;
    pressed_ = false;
    setCursor(Qt::CrossCursor);
}

void PicturePane::mousePressEvent(QMouseEvent* event) {
    if ((!pointing_ && !taking_box_) || event->button() != Qt::LeftButton)
        return QWidget::mousePressEvent(event);
    pressed_ = true;
    box_begins_ = box_ends_ = in_picture(event->position());
    if (!taking_box_) point(event->position());
}

void PicturePane::mouseMoveEvent(QMouseEvent* event) {
    if (!pressed_) return;
    if (!taking_box_) return point(event->position());
    box_ends_ = in_picture(event->position());
    update();
}

void PicturePane::mouseReleaseEvent(QMouseEvent*) {
    if (!std::exchange(pressed_, false)) return;
    if (!std::exchange(taking_box_, false)) return emit pointing_ended();
    update();
    constexpr double kSmallestBox = 0.01;  // less is a click
    const QRectF box = QRectF(box_begins_, box_ends_).normalized();
    if (box.width() < kSmallestBox || box.height() < kSmallestBox) return;
    emit boxed(box);
}

}  // namespace rivlen::app
