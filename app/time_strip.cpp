#include "app/time_strip.h"

#include <QMetaObject>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/theme.h"

namespace rivlen::app {

namespace {
constexpr int kRulerHeight = 24;
constexpr int kThumbHeight = 54;
constexpr int kMostThumbnails = 600;
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
    : QWidget(parent), document_(document), player_(player), view_(view) {
    pool_.setMaxThreadCount(1);
    setFixedHeight(kRulerHeight);
    setAccessibleName(tr("Time strip"));
    setToolTip(tr("Click or drag to go there; drag over the lanes to set the loop."));
    connect(&view_, &TimeView::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::material_changed, this, &TimeStrip::follow_material);
    connect(&document_, &Document::session_changed, this, qOverload<>(&QWidget::update));
}

TimeStrip::~TimeStrip() {
    pool_.clear();
    pool_.waitForDone();
}

void TimeStrip::follow_material() {
    const Material* material = document_.current_material();
    const bool ready = material != nullptr && material->source;
    text_ = ready ? TimeText(material->info) : TimeText();
    const std::filesystem::path path =
        ready && material->info.picture ? material->source->original() : std::filesystem::path();
    if (path != picture_) {
        picture_ = path;
        ++generation_;
        pool_.clear();
        thumbnails_.clear();
        pending_.clear();
        reader_.reset();
        if (!picture_.empty())
            aspect_ = static_cast<double>(material->info.picture->width) /
                      std::max(1, material->info.picture->height);
    }
    setFixedHeight(picture_.empty() ? kRulerHeight : kRulerHeight + kThumbHeight);
    update();
}

void TimeStrip::want(std::int64_t millisecond) {
    if (pending_.contains(millisecond) || pending_.size() > 40) return;
    pending_.insert(millisecond);
    pool_.start([this, millisecond, path = picture_, generation = generation_] {
        QImage image;
        if (generation == generation_) {
            if (!reader_) {
                auto opened = PictureReader::open(path);
                if (opened) reader_ = std::make_shared<PictureReader>(std::move(*opened));
            }
            if (reader_) {
                auto frame = reader_->frame_at(static_cast<double>(millisecond) / 1000.0, 512, kThumbHeight);
                if (frame)
                    image = QImage(frame->rgb.data(), frame->width, frame->height, frame->width * 3,
                                   QImage::Format_RGB888)
                                .copy();
            }
        }
        QMetaObject::invokeMethod(
            this,
            [this, millisecond, image, generation] {
                if (generation != generation_) return;
                pending_.remove(millisecond);
                if (thumbnails_.size() > kMostThumbnails) thumbnails_.clear();
                thumbnails_.insert(millisecond, image);
                update();
            },
            Qt::QueuedConnection);
    });
}

void TimeStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colour::kGround);
    const auto source = document_.source();
    if (!source) return;
    const int ruler_top = height() - kRulerHeight;
    if (!picture_.empty()) {
        const int thumb_width = std::max(16, static_cast<int>(kThumbHeight * aspect_));
        // Thumbnails stand at multiples of a step that is a power of two of a second, so that scrolling keeps
        // them; the step is the narrower one, and each picture is cropped to it.
        const double wanted = thumb_width * view_.span() / std::max(width(), 1);
        const double step = std::max(0.04, std::exp2(std::floor(std::log2(wanted))));
        const auto first_thumb = static_cast<std::int64_t>(std::floor(view_.start() / step));
        const auto end_thumb = static_cast<std::int64_t>(std::ceil((view_.start() + view_.span()) / step));
        for (std::int64_t n = first_thumb; n < end_thumb; ++n) {
            const double at = static_cast<double>(n) * step;
            const auto key = static_cast<std::int64_t>(std::llround(at * 1000));
            const double left = view_.to_x(at, width());
            const double right = view_.to_x(at + step, width());
            const auto found = thumbnails_.constFind(key);
            if (found == thumbnails_.constEnd()) {
                want(key);
            } else if (!found->isNull()) {
                painter.save();
                painter.setClipRect(QRectF(left, 0, right - left - 1, kThumbHeight));
                painter.drawImage(QPointF(left, 0), *found);
                painter.restore();
            }
        }
    }
    painter.fillRect(0, ruler_top, width(), kRulerHeight, colour::kPanel);
    painter.setFont(number_font());
    const double label_seconds = 120.0 * view_.span() / std::max(width(), 1);
    double step = text_.frame_seconds();
    for (const double candidate : {0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0,
                                   120.0, 300.0, 600.0, 1800.0}) {
        step = std::max(candidate, text_.frame_seconds());
        if (candidate >= label_seconds) break;
    }
    const auto first_mark = static_cast<std::int64_t>(std::floor(view_.start() / step));
    const auto end_mark = static_cast<std::int64_t>(std::ceil((view_.start() + view_.span()) / step)) + 1;
    for (std::int64_t n = first_mark; n < end_mark; ++n) {
        const double at = static_cast<double>(n) * step;
        const double x = view_.to_x(at, width());
        painter.setPen(colour::kLine);
        painter.drawLine(QPointF(x, ruler_top), QPointF(x, height()));
        for (int k = 1; k < 5; ++k) {
            const double minor = view_.to_x(at + step * k / 5, width());
            painter.drawLine(QPointF(minor, height() - 5), QPointF(minor, height()));
        }
        painter.setPen(colour::kDim);
        painter.drawText(QPointF(x + 4, ruler_top + 15), text_.of(at));
    }
    const auto* item = document_.current_item();
    if (item != nullptr && item->loop) {
        const double left = view_.frame_x(item->loop->first, source->sample_rate(), width());
        const double right = view_.frame_x(item->loop->last, source->sample_rate(), width());
        painter.fillRect(QRectF(left, height() - 4, right - left, 4),
                         item->loop_on ? colour::kAct : colour::kLine);
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

void TimeStrip::wheelEvent(QWheelEvent* event) {
    view_.zoom(std::pow(0.8, event->angleDelta().y() / 120.0),
               view_.to_seconds(event->position().x(), width()));
    event->accept();
}

}  // namespace rivlen::app
