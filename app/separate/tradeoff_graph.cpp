// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/tradeoff_graph.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr double kLowestBleedDb = -48;
constexpr double kHighestDamage = 100;

QPolygonF diamond(QPointF at, double size) {
    return QPolygonF({{at.x() - size, at.y()},
                      {at.x(), at.y() - size * 1.4},
                      {at.x() + size, at.y()},
                      {at.x(), at.y() + size * 1.4}});
}

// Value of a curve between its points.
TradeOff at_percent(const std::vector<TradeOff>& curve, double percent) {
    const double at = percent / 100.0 * static_cast<double>(curve.size() - 1);
    const auto low = std::min(static_cast<std::size_t>(at), curve.size() - 2);
    const double part = at - static_cast<double>(low);
    TradeOff out = curve[low];
    out.bleed_db += part * (curve[low + 1].bleed_db - out.bleed_db);
    out.damage += part * (curve[low + 1].damage - out.damage);
    return out;
}

}  // namespace

TradeOffGraph::TradeOffGraph(Document& document, Measuring& measuring, QWidget* parent)
    : QWidget(parent), document_(document), measuring_(measuring) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(104);
    setAccessibleName(tr("Trade-off: isolation against leak and damage"));
    setToolTip(tr(
        "Drag the point: to the right, less of the rest leaks in and more of the stem gets damaged. The open "
        "diamond is the proposal (P takes it)."));
    connect(&measuring_, &Measuring::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::session_changed, this, qOverload<>(&QWidget::update));
}

QRectF TradeOffGraph::plot() const {
    return {30.0, 18.0, std::max(20.0, width() - 66.0), std::max(20.0, height() - 36.0)};
}
double TradeOffGraph::x_of(double percent) const {
    return plot().left() + plot().width() * percent / 100.0;
}
double TradeOffGraph::bleed_y(double bleed_db) const {
    return plot().top() + plot().height() * std::clamp(bleed_db / kLowestBleedDb, 0.0, 1.0);
}
double TradeOffGraph::damage_y(double damage) const {
    return plot().bottom() - plot().height() * std::clamp(damage / kHighestDamage, 0.0, 1.0);
}

double TradeOffGraph::isolation() const {
    return document_.current_item() != nullptr
               ? document_.shown_settings().stems[measuring_.stem()].value(Setting::Isolation)
               : 100.0;
}

void TradeOffGraph::set_isolation(double percent) {
    document_.set_value(tr("Isolation"), measuring_.stem(), Setting::Isolation,
                        std::clamp(std::round(percent), 0.0, 100.0));
}

void TradeOffGraph::draw_curve(QPainter& painter, const std::vector<TradeOff>& curve, bool faint) const {
    QPainterPath bleed;
    QPainterPath damage;
    for (std::size_t i = 0; i < curve.size(); ++i) {
        const double x = x_of(100.0 * static_cast<double>(i) / static_cast<double>(curve.size() - 1));
        const QPointF a(x, bleed_y(curve[i].bleed_db));
        const QPointF b(x, damage_y(curve[i].damage));
        if (i == 0) {
            bleed.moveTo(a);
            damage.moveTo(b);
        } else {
            bleed.lineTo(a);
            damage.lineTo(b);
        }
    }
    QColor solid = colour::kText;
    QColor warm = colour::kWarn;
    if (faint) {
        solid.setAlpha(55);
        warm.setAlpha(55);
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(solid, faint ? 1.0 : 1.8));
    painter.drawPath(bleed);
    painter.setPen(QPen(warm, faint ? 1.0 : 1.8, faint ? Qt::SolidLine : Qt::DashLine));
    painter.drawPath(damage);
}

void TradeOffGraph::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF r = plot();
    painter.fillRect(rect(), colour::kGround);
    QFont small = font();
    small.setPointSizeF(7.5);
    painter.setFont(small);
    painter.setPen(QPen(colour::kRaised, 1));
    for (int p = 0; p <= 100; p += 25)
        painter.drawLine(QPointF(x_of(p), r.top()), QPointF(x_of(p), r.bottom()));
    for (int d = 0; d >= static_cast<int>(kLowestBleedDb); d -= 12)
        painter.drawLine(QPointF(r.left(), bleed_y(d)), QPointF(r.right(), bleed_y(d)));
    painter.setPen(colour::kDim);
    for (int p = 0; p <= 100; p += 25)
        painter.drawText(QRectF(x_of(p) - 20, r.bottom() + 2, 40, 14), Qt::AlignCenter, tr("%1 %").arg(p));
    for (int d = 0; d >= static_cast<int>(kLowestBleedDb); d -= 24)
        painter.drawText(QRectF(0, bleed_y(d) - 7, 27, 14), Qt::AlignRight | Qt::AlignVCenter,
                         QString::number(d));
    for (int d = 0; d <= static_cast<int>(kHighestDamage); d += 25)
        painter.drawText(QRectF(r.right() + 9, damage_y(d) - 7, 26, 14), Qt::AlignLeft | Qt::AlignVCenter,
                         QString::number(d));
    painter.drawText(QRectF(2, 0, width() / 2.0, 14), Qt::AlignLeft, tr("leaks in, dB —"));
    painter.setPen(colour::kWarn);
    painter.drawText(QRectF(width() / 2.0, 0, width() / 2.0 - 2, 14), Qt::AlignRight, tr("- - damage"));
    const Measured* now = measuring_.now();
    if (now == nullptr) {
        painter.setPen(colour::kDim);
        painter.drawText(r, Qt::AlignCenter,
                         document_.map() ? tr("Measuring…") : tr("Split the recording first."));
        return;
    }
    for (std::size_t i = 0; i < kCards; ++i) {
        if (const Measured* card = measuring_.card(i)) draw_curve(painter, card->curve, true);
    }
    draw_curve(painter, now->curve, false);
    if (const Proposal* proposal = measuring_.proposal()) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(colour::kAct, 1.4));
        const double x = x_of(proposal->isolation_percent);
        painter.drawPolygon(diamond({x, bleed_y(proposal->figures.bleed_db)}, 5));
        painter.drawLine(QPointF(x, r.bottom() - 5), QPointF(x, r.bottom()));
    }
    const double percent = isolation();
    const TradeOff here = at_percent(now->curve, percent);
    const double x = x_of(percent);
    painter.setPen(QPen(hasFocus() ? colour::kAct : colour::kDim, 1));
    painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
    painter.setPen(QPen(colour::kGround, 1));
    painter.setBrush(colour::kText);
    painter.drawPolygon(diamond({x, bleed_y(here.bleed_db)}, 6));
    painter.setBrush(colour::kWarn);
    painter.drawPolygon(diamond({x, damage_y(here.damage)}, 6));
}

void TradeOffGraph::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) mouseMoveEvent(event);
}
void TradeOffGraph::mouseMoveEvent(QMouseEvent* event) {
    set_isolation((event->position().x() - plot().left()) / plot().width() * 100.0);
}
void TradeOffGraph::mouseReleaseEvent(QMouseEvent*) {
    document_.close_step();
}
void TradeOffGraph::mouseDoubleClickEvent(QMouseEvent*) {
    set_isolation(info(Setting::Isolation).standard);
    document_.close_step();
}

void TradeOffGraph::keyPressEvent(QKeyEvent* event) {
    const double step = event->modifiers() & Qt::ShiftModifier ? 10 : 1;
    switch (event->key()) {
        case Qt::Key_Left:
            set_isolation(isolation() - step);
            break;
        case Qt::Key_Right:
            set_isolation(isolation() + step);
            break;
        case Qt::Key_Backspace:
            set_isolation(info(Setting::Isolation).standard);
            break;
        default:
            QWidget::keyPressEvent(event);
            return;
    }
    document_.close_step();
}

}  // namespace rivlen::app
