// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/doubt_painter.h"

#include <QImage>
#include <algorithm>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

// What is less doubted than this is not shown.
constexpr int kLeast = 64;

QRgb tint_of(int doubt) {
    const int alpha = std::clamp((doubt - kLeast) * 200 / (255 - kLeast), 0, 200);
    const QColor c = colour::kWarn;
    return qRgba(c.red() * alpha / 255, c.green() * alpha / 255, c.blue() * alpha / 255, alpha);
}

// A row of the picture at the width of the lane: the most that lies in each column.
QImage row_image(const DoubtPicture& picture, std::size_t row, const TimeView& view, int width) {
    QImage image(width, 1, QImage::Format_ARGB32_Premultiplied);
    auto* pixels = reinterpret_cast<QRgb*>(image.scanLine(0));
    const auto step_at = [&](int x) {
        return std::clamp<std::ptrdiff_t>(
            static_cast<std::ptrdiff_t>(view.to_seconds(x, width) / kDoubtStepSeconds), 0,
            static_cast<std::ptrdiff_t>(picture.steps()));
    };
    for (int x = 0; x < width; ++x) {
        int most = 0;
        const auto last =
            std::min(std::max(step_at(x) + 1, step_at(x + 1)), static_cast<std::ptrdiff_t>(picture.steps()));
        for (auto step = step_at(x); step < last; ++step) {
            const auto cell = static_cast<std::size_t>(step) * DoubtPicture::kRows + row;
            most = std::max(most, static_cast<int>(picture.cells[cell]));
        }
        pixels[x] = tint_of(most);
    }
    return image;
}

}  // namespace

void draw_doubt(QPainter& painter, const DoubtPicture& picture, const TimeView& view, const QRect& lane,
                const FrequencyRange& range) {
    const auto y_of = [&](double hz) { return lane.bottom() + 1 - range.position(hz) * lane.height(); };
    for (std::size_t row = 0; row < DoubtPicture::kRows; ++row) {
        const double low = std::max(1.0, band_edge_hz(row * DoubtPicture::kRowBands));
        const double high = band_edge_hz((row + 1) * DoubtPicture::kRowBands);
        const double top = std::max<double>(lane.top(), y_of(high));
        const double bottom = std::min<double>(lane.bottom() + 1, y_of(low));
        if (bottom <= top) continue;
        painter.drawImage(QRectF(lane.left(), top, lane.width(), bottom - top),
                          row_image(picture, row, view, lane.width()));
    }
}

}  // namespace rivlen::app
