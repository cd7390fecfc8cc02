// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/thumbnails.h"

#include <QMetaObject>
#include <cmath>
#include <functional>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {
constexpr int kMostThumbnails = 600;
constexpr int kMostPending = 40;
}  // namespace

Thumbnails::Thumbnails(int height, QObject* parent) : QObject(parent), height_(height) {
    pool_.setMaxThreadCount(1);
}

Thumbnails::~Thumbnails() {
    pool_.clear();
    pool_.waitForDone();
}

void Thumbnails::set_picture(const std::filesystem::path& path) {
    if (path == path_) return;
    path_ = path;
    ++generation_;
    pool_.clear();
    pool_.waitForDone();
    images_.clear();
    pending_.clear();
    reader_.reset();
}

void Thumbnails::want(std::int64_t millisecond) {
    if (pending_.contains(millisecond) || pending_.size() > kMostPending) return;
    pending_.insert(millisecond);
    pool_.start([this, millisecond, path = path_, generation = generation_] {
        QImage image;
        if (!reader_) {
            auto opened = PictureReader::open(path);
            if (opened) reader_ = std::make_shared<PictureReader>(std::move(*opened));
        }
        if (reader_) {
            auto frame = reader_->frame_at(static_cast<double>(millisecond) / 1000.0, 512, height_);
            if (frame)
                image = QImage(frame->rgb.data(), frame->width, frame->height, frame->width * 3,
                               QImage::Format_RGB888)
                            .copy();
        }
        QMetaObject::invokeMethod(
            this,
            [this, millisecond, image, generation] {
                if (generation != generation_) return;
                pending_.remove(millisecond);
                if (images_.size() > kMostThumbnails) images_.clear();
                images_.insert(millisecond, image);
                if (!image.isNull()) aspect_ = static_cast<double>(image.width()) / image.height();
                emit ready();
            },
            Qt::QueuedConnection);
    });
}

// Thumbnails stand at multiples of a step that is a power of two of a second, so that scrolling keeps them;
// the step is the narrower one, and each picture is cropped to it.
void Thumbnails::draw(QPainter& painter, const TimeView& view, int width, int top, double first, double last,
                      double shift) {
    if (path_.empty()) return;
    const double wanted = std::max(16.0, height_ * aspect_) * view.span() / std::max(width, 1);
    const double step = std::max(0.04, std::exp2(std::floor(std::log2(wanted))));
    const double from = std::max(first, view.start() - shift);
    const double to = std::min(last, view.start() + view.span() - shift);
    for (auto n = static_cast<std::int64_t>(std::floor(from / step)); static_cast<double>(n) * step < to;
         ++n) {
        const double at = static_cast<double>(n) * step;
        const auto key = static_cast<std::int64_t>(std::llround(at * 1000));
        const double left = view.to_x(std::max(at, first) + shift, width);
        const double right = view.to_x(std::min(at + step, last) + shift, width);
        const auto found = images_.constFind(key);
        if (found == images_.constEnd()) {
            want(key);
        } else if (!found->isNull()) {
            painter.save();
            painter.setClipRect(QRectF(left, top, right - left - 1, height_));
            painter.drawImage(QPointF(left, top), *found);
            painter.restore();
        }
    }
}

void draw_ruler(QPainter& painter, const TimeView& view, const QRect& rect, double least_seconds,
                const std::function<QString(double)>& label) {
    painter.fillRect(rect, colour::kPanel);
    painter.setFont(number_font());
    const double label_seconds = 120.0 * view.span() / std::max(rect.width(), 1);
    double step = least_seconds;
    for (const double candidate : {0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0,
                                   120.0, 300.0, 600.0, 1800.0}) {
        step = std::max(candidate, least_seconds);
        if (candidate >= label_seconds) break;
    }
    const auto first = static_cast<std::int64_t>(std::floor(view.start() / step));
    const auto end = static_cast<std::int64_t>(std::ceil((view.start() + view.span()) / step)) + 1;
    for (std::int64_t n = first; n < end; ++n) {
        const double at = static_cast<double>(n) * step;
        const double x = view.to_x(at, rect.width());
        painter.setPen(colour::kLine);
        painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom() + 1));
        for (int k = 1; k < 5; ++k) {
            const double minor = view.to_x(at + step * k / 5, rect.width());
            painter.drawLine(QPointF(minor, rect.bottom() - 4), QPointF(minor, rect.bottom() + 1));
        }
        painter.setPen(colour::kDim);
        painter.drawText(QPointF(x + 4, rect.top() + 15), label(at));
    }
}

}  // namespace rivlen::app
