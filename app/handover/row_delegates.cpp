// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/row_delegates.h"

#include <QPainter>
#include <QTextLayout>
#include <algorithm>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr int kMargin = 5, kBarHeight = 5;

// Lines of a name as they break in a width; ends at spaces where it can.
void lay_out(QTextLayout& layout, int width) {
    QTextOption option;
    option.setWrapMode(QTextOption::WrapAtWordBoundaryOrAnywhere);
    layout.setTextOption(option);
    layout.beginLayout();
    double y = 0;
    for (QTextLine line = layout.createLine(); line.isValid(); line = layout.createLine()) {
        line.setLineWidth(std::max(10, width));
        line.setPosition(QPointF(0, y));
        y += line.height();
    }
    layout.endLayout();
}

void draw_ground(QPainter* painter, const QStyleOptionViewItem& option) {
    if ((option.state & QStyle::State_Selected) != 0)
        painter->fillRect(option.rect, option.palette.highlight());
}

}  // namespace

void WholeNameDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                              const QModelIndex& index) const {
    draw_ground(painter, option);
    QTextLayout layout(index.data().toString(), option.font);
    lay_out(layout, option.rect.width() - 2 * kMargin);
    painter->setPen((option.state & QStyle::State_Selected) != 0 ? option.palette.highlightedText().color()
                                                                 : option.palette.text().color());
    const double top = option.rect.top() + (option.rect.height() - layout.boundingRect().height()) / 2;
    layout.draw(painter, QPointF(option.rect.left() + kMargin, top));
}

int WholeNameDelegate::height_of(const QString& name, const QFont& font, int width) const {
    QTextLayout layout(name, font);
    lay_out(layout, width - 2 * kMargin);
    return static_cast<int>(layout.boundingRect().height()) + 6;
}

Tolerance loudness_tolerance(const LoudnessTarget& target, const AllowedLevels& allowed,
                             std::optional<double> measured_lufs) {
    const double shown = std::max(2.0, 2.5 * target.tolerance_lu);
    return {allowed.lowest_lufs,
            allowed.highest_lufs,
            target.integrated_lufs - shown,
            target.integrated_lufs + shown,
            measured_lufs,
            "LUFS"};
}

Tolerance peak_tolerance(const LoudnessTarget& target, const AllowedLevels& allowed,
                         std::optional<double> measured_dbtp) {
    constexpr double kLowest = -200, kBelow = 12, kAbove = 3;
    return {kLowest,
            allowed.highest_dbtp,
            target.true_peak_dbtp - kBelow,
            target.true_peak_dbtp + kAbove,
            measured_dbtp,
            "dBTP"};
}

void ToleranceDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                              const QModelIndex& index) const {
    draw_ground(painter, option);
    const QRect cell = option.rect.adjusted(kMargin, 3, -kMargin, -5);
    const auto tolerance = index.data(kRole);
    const bool has_bar = tolerance.canConvert<Tolerance>();
    painter->setFont(number_font());
    painter->setPen((option.state & QStyle::State_Selected) != 0
                        ? option.palette.highlightedText().color()
                        : index.data(Qt::ForegroundRole).value<QColor>());
    const QRect words = has_bar ? cell.adjusted(0, 0, 0, -kBarHeight - 1) : cell;
    painter->drawText(words, Qt::AlignVCenter | Qt::AlignLeft, index.data().toString());
    if (!has_bar) return;
    const auto shown = tolerance.value<Tolerance>();
    const QRect bar(cell.left(), cell.bottom() - kBarHeight, cell.width(), kBarHeight);
    const auto x_of = [&](double level) {
        const double part = (level - shown.scale_from) / (shown.scale_to - shown.scale_from);
        return bar.left() + std::clamp(part, 0.0, 1.0) * bar.width();
    };
    painter->fillRect(bar, colour::kGround);
    painter->fillRect(
        QRectF(QPointF(x_of(shown.lowest), bar.top()), QPointF(x_of(shown.highest), bar.bottom() + 1)),
        colour::kDim);
    if (!shown.measured) return;
    const double x = std::clamp(x_of(*shown.measured), bar.left() + 1.5, bar.right() - 1.5);
    const QRectF mark(x - 1.5, bar.top() - 2, 3, kBarHeight + 4);
    painter->fillRect(mark.adjusted(-1, -1, 1, 1), colour::kGround);
    painter->fillRect(mark, shown.met() ? colour::kAct : colour::kWarn);
}

}  // namespace rivlen::app
