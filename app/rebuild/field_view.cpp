// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/field_view.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/dsp/decibels.h"

namespace rivlen::app {

namespace {
constexpr double kLowestChannelDb = -60, kChannelFallDb = 1.1, kFieldRangeDb = 24, kLowestFieldDb = -70;
constexpr std::size_t kShownPeaks = 4;
}  // namespace

ChannelLevels::ChannelLevels(QWidget* parent) : QWidget(parent) {
    setObjectName("channel_levels");
    setAccessibleName(tr("Levels of the channels"));
    setToolTip(tr("Highest sample of each channel, from -60 dBFS to full scale."));
    setMinimumHeight(40);
    setMaximumHeight(64);
}

void ChannelLevels::show_peaks(Layout layout, std::span<const float> peaks) {
    if (layout != layout_) shown_db_.clear();
    layout_ = layout;
    shown_db_.resize(peaks.size(), kLowestChannelDb);
    for (std::size_t c = 0; c < peaks.size(); ++c) {
        const double now = peaks[c] > 0 ? db_of_amplitude(static_cast<double>(peaks[c])) : kLowestChannelDb;
        shown_db_[c] = std::max({now, shown_db_[c] - kChannelFallDb, kLowestChannelDb});
    }
    update();
}

void ChannelLevels::show_true_peaks(const std::vector<Level>& peaks_dbtp) {
    if (peaks_dbtp == true_peaks_dbtp_) return;
    true_peaks_dbtp_ = peaks_dbtp;
    QStringList lines = {
        tr("Highest sample of each channel, from -60 dBFS to full scale; the marks are true peaks "
           "since playing began:")};
    for (std::size_t c = 0; c < peaks_dbtp.size(); ++c)
        lines << channel_mark(layout_, c) + QString("  ") + text(level_words(peaks_dbtp[c], "dBTP"));
    setToolTip(lines.join('\n'));
    update();
}

void ChannelLevels::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    if (shown_db_.empty()) return;
    const double step = static_cast<double>(width()) / static_cast<double>(shown_db_.size());
    const bool named = step >= 15;
    const double bottom = height() - (named ? 16.0 : 2.0);
    QFont font = number_font();
    font.setPointSizeF(font.pointSizeF() * 0.72);
    painter.setFont(font);
    for (std::size_t c = 0; c < shown_db_.size(); ++c) {
        const double left = step * static_cast<double>(c);
        const QRectF ground(left + 1, 0, std::max(2.0, step - 2), bottom);
        painter.fillRect(ground, colour::kGround);
        const double part = (shown_db_[c] - kLowestChannelDb) / -kLowestChannelDb;
        const double top = bottom * (1 - std::clamp(part, 0.0, 1.0));
        painter.fillRect(QRectF(ground.left(), top, ground.width(), bottom - top),
                         shown_db_[c] >= -6 ? colour::kWarn : colour::kDim);
        if (c < true_peaks_dbtp_.size() && true_peaks_dbtp_[c]) {
            const double held = (*true_peaks_dbtp_[c] - kLowestChannelDb) / -kLowestChannelDb;
            painter.fillRect(
                QRectF(ground.left(), bottom * (1 - std::clamp(held, 0.0, 1.0)), ground.width(), 2),
                *true_peaks_dbtp_[c] > -1 ? colour::kWarn : colour::kText);
        }
        if (!named) continue;
        painter.setPen(colour::kDim);
        painter.drawText(QRectF(left, bottom, step, 16), Qt::AlignCenter, channel_mark(layout_, c));
    }
}

FieldView::FieldView(QWidget* parent) : QWidget(parent) {
    setObjectName("field_view");
    setAccessibleName(tr("Where the sound comes from"));
    setToolTip(tr(
        "Energy by direction over the last 300 ms: ahead in the middle, left on the left, above at the top; "
        "the rings mark the loudest places."));
    setFixedHeight(130);
}

void FieldView::show_power(std::span<const float> power) {
    peaks_ = FieldMap::peaks(power, kShownPeaks);
    const double loudest =
        std::max(kLowestFieldDb + kFieldRangeDb, peaks_.empty() ? kLowestFieldDb : peaks_[0].level_db);
    image_ = QImage(static_cast<int>(FieldMap::kAround), static_cast<int>(FieldMap::kHeights),
                    QImage::Format_RGB32);
    over_picture_ = QImage(image_.size(), QImage::Format_ARGB32);
    for (int y = 0; y < image_.height(); ++y) {
        for (int x = 0; x < image_.width(); ++x) {
            const float p =
                power[static_cast<std::size_t>(y) * FieldMap::kAround + static_cast<std::size_t>(x)];
            const double part =
                std::clamp(1 + (db_of_power(static_cast<double>(p)) - loudest) / kFieldRangeDb, 0.0, 1.0);
            const auto mixed = [part](int from, int to) {
                return static_cast<int>(from + part * (to - from));
            };
            image_.setPixelColor(x, y,
                                 QColor(mixed(colour::kGround.red(), stem_colour(2).red()),
                                        mixed(colour::kGround.green(), stem_colour(2).green()),
                                        mixed(colour::kGround.blue(), stem_colour(2).blue())));
            constexpr double kMostCover = 0.7;
            QColor cover = stem_colour(2);
            cover.setAlphaF(static_cast<float>(kMostCover * part));
            over_picture_.setPixelColor(x, y, cover);
        }
    }
    update();
}

QPointF FieldView::spot(Direction direction) const {
    return {width() * (180 - wrapped_azimuth_deg(direction.azimuth_deg)) / 360,
            height() * (90 - direction.elevation_deg) / 180};
}

void FieldView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
    painter.fillRect(rect(), colour::kGround);
    if (!image_.isNull()) painter.drawImage(QRectF(rect()), image_);
    painter.setPen(QPen(colour::kLine, 1, Qt::DotLine));
    for (const int azimuth : {90, 0, -90}) {
        const double x = spot({static_cast<double>(azimuth), 0}).x();
        painter.drawLine(QPointF(x, 0), QPointF(x, height()));
    }
    painter.drawLine(QPointF(0, height() / 2.0), QPointF(width(), height() / 2.0));
    painter.setPen(colour::kDim);
    const auto label = [&](double azimuth, const QString& text) {
        const double x = spot({azimuth, 0}).x();
        painter.drawText(QRectF(x - 40, height() - 16, 80, 15), Qt::AlignCenter, text);
    };
    label(90, tr("left"));
    label(0, tr("ahead"));
    label(-90, tr("right"));
    painter.setBrush(Qt::NoBrush);
    for (std::size_t k = 0; k < peaks_.size(); ++k) {
        painter.setPen(QPen(k == 0 ? colour::kAct : colour::kText, k == 0 ? 2 : 1));
        painter.drawEllipse(spot(peaks_[k].direction), 6, 6);
    }
}

}  // namespace rivlen::app
