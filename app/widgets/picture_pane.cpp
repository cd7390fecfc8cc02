// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/picture_pane.h"

#include <QMetaObject>
#include <QPainter>

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
    const QSize fitted = image_.size().scaled(size(), Qt::KeepAspectRatio);
    painter.drawImage(QRect(QPoint((width() - fitted.width()) / 2, (height() - fitted.height()) / 2), fitted),
                      image_);
}

}  // namespace rivlen::app
