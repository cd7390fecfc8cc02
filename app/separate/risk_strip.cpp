// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/risk_strip.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/widgets/theme.h"
#include "app/widgets/time_input.h"
#include "core/workflow/looping.h"

namespace rivlen::app {

namespace {
constexpr double kBeforeSeconds = 1.2,
                 kAfterSeconds = 1.3;  // around a spot, so that it is heard in its words
}  // namespace

RiskStrip::RiskStrip(Document& document, Measuring& measuring, TimeView& view, QWidget* parent)
    : QWidget(parent), document_(document), measuring_(measuring), view_(view) {
    setFixedHeight(30);
    new TimeInput(view_, this);
    setAccessibleName(tr("Risk line"));
    setToolTip(
        tr("Bars: where the present settings probably hurt the chosen stem. Light line: how much is doubted "
           "of the split "
           "itself. Click to loop the spot; N and Shift+N go from the worst to the next, of both kinds."));
    connect(&view_, &TimeView::changed, this, qOverload<>(&QWidget::update));
    connect(&measuring_, &Measuring::risk_changed, this, [this] {
        rank_ = -1;
        update();
    });
}

void RiskStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), QColor(12, 14, 16));
    const auto& risk = measuring_.risk().risk;
    if (risk.empty()) return;
    for (int x = 0; x < width(); ++x) {
        const auto from = static_cast<std::ptrdiff_t>(view_.to_seconds(x, width()) / RiskLine::kStepSeconds);
        const auto to = std::max(
            from + 1, static_cast<std::ptrdiff_t>(view_.to_seconds(x + 1, width()) / RiskLine::kStepSeconds));
        double worst = 0;
        for (auto i = std::max<std::ptrdiff_t>(from, 0); i < std::min(to, std::ssize(risk)); ++i)
            worst = std::max(worst, static_cast<double>(risk[static_cast<std::size_t>(i)]));
        if (worst <= 0) continue;
        const double part = std::min(1.0, worst / kFullRisk);
        QColor tint = colour::kWarn;
        tint.setAlphaF(static_cast<float>(0.35 + 0.65 * part));
        painter.setPen(tint);
        painter.drawLine(QPointF(x, height()), QPointF(x, height() - part * (height() - 6)));
    }
    // What is doubted of the masks themselves, as a line from the top.
    const auto& doubt = measuring_.doubt();
    painter.setPen(QPen(colour::kText, 1));
    for (int x = 0; x < width(); ++x) {
        const auto from = std::max<std::ptrdiff_t>(
            0, static_cast<std::ptrdiff_t>(view_.to_seconds(x, width()) / RiskLine::kStepSeconds));
        const auto to =
            static_cast<std::ptrdiff_t>(view_.to_seconds(x + 1, width()) / RiskLine::kStepSeconds);
        float most = 0;
        for (auto i = from; i < std::min(std::max(from + 1, to), std::ssize(doubt)); ++i)
            most = std::max(most, doubt[static_cast<std::size_t>(i)]);
        if (most > 0) painter.drawPoint(QPointF(x, height() - static_cast<double>(most) * (height() - 2)));
    }
    // The worst spots are numbered.
    QFont small = font();
    small.setPointSizeF(7);
    painter.setFont(small);
    const auto& spots = measuring_.spots();
    for (std::size_t i = 0; i < std::min<std::size_t>(spots.size(), 9); ++i) {
        const double x = view_.to_x(spots[i].seconds, width());
        painter.setPen(static_cast<int>(i) == rank_ ? colour::kAct : colour::kText);
        painter.drawText(QRectF(x - 8, 0, 16, 11), Qt::AlignCenter, QString::number(i + 1));
    }
}

void RiskStrip::loop_spot(double seconds) {
    const auto source = document_.source();
    if (!source) return;
    const double rate = source->sample_rate();
    const auto total = static_cast<std::int64_t>(source->frames());
    const LoopRange loop =
        loop_between(std::llround((seconds - kBeforeSeconds) * rate),
                     std::llround((seconds + kAfterSeconds) * rate), total, source->sample_rate());
    document_.edit(tr("Loop a risk spot"), {}, [&](Session& session) {
        if (session.current < 0) return;
        auto& item = session.items[static_cast<std::size_t>(session.current)];
        item.loop = loop;
        item.loop_on = true;
    });
}

void RiskStrip::step(int by) {
    const int count = static_cast<int>(measuring_.spots().size());
    if (count == 0) return;
    rank_ = std::clamp(rank_ + by, 0, count - 1);
    loop_spot(measuring_.spots()[static_cast<std::size_t>(rank_)].seconds);
    update();
}

void RiskStrip::mousePressEvent(QMouseEvent* event) {
    const double seconds = view_.to_seconds(event->position().x(), width());
    // The nearest spot within a few pixels, or just there.
    const auto& spots = measuring_.spots();
    double best = seconds;
    double nearest = 10;
    for (std::size_t i = 0; i < spots.size(); ++i) {
        const double distance = std::abs(view_.to_x(spots[i].seconds, width()) - event->position().x());
        if (distance < nearest) {
            nearest = distance;
            best = spots[i].seconds;
            rank_ = static_cast<int>(i);
        }
    }
    loop_spot(best);
    update();
}

}  // namespace rivlen::app
