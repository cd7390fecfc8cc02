// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/line_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/text.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr double kGrab = 8;    // pixels around a point
constexpr double kMargin = 6;  // above the highest value and below the lowest

}  // namespace

LineEditor::LineEditor(Document& document, TimeView& view, LaneCanvas& lanes)
    : QWidget(&lanes), document_(document), view_(view), lanes_(lanes) {
    setObjectName("line_editor");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setVisible(false);
    lanes.installEventFilter(this);
    connect(&view_, &TimeView::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::session_changed, this, qOverload<>(&QWidget::update));
}

void LineEditor::open(std::size_t stem, Setting setting) {
    if (document_.current_item() == nullptr) return;
    stem_ = stem;
    setting_ = setting;
    chosen_.reset();
    const QString label = words(info(setting).label);
    setAccessibleName(tr("Line of %1 over time").arg(label));
    setToolTip(
        tr("%1 over time. Click sets a point, drag moves it, right click or Delete removes it; with a line, "
           "the control writes where playback is.")
            .arg(label));
    lie_over_lane();
    setVisible(true);
    raise();
    update();
    emit opened_or_closed();
}

void LineEditor::close_line() {
    setting_.reset();
    setVisible(false);
    emit opened_or_closed();
}

void LineEditor::lie_over_lane() {
    setGeometry(lanes_.lane_rect(static_cast<int>(stem_) + 1));
}

const SettingLane* LineEditor::line() const {
    const auto* item = document_.current_item();
    return item != nullptr && setting_ ? find_lane(item->lines, stem_, *setting_) : nullptr;
}

double LineEditor::y_of(double value) const {
    const auto& p = info(*setting_);
    const double part = (value - p.lowest) / (p.highest - p.lowest);
    return height() - kMargin - part * (height() - 2 * kMargin);
}

QPointF LineEditor::position_of(const Breakpoint& point) const {
    const auto source = document_.source();
    const int rate = source ? source->sample_rate() : 48000;
    return {view_.frame_x(point.frame, rate, width()), y_of(point.value)};
}

LineEditor::Place LineEditor::place_at(QPointF at) const {
    const auto& p = info(*setting_);
    const auto source = document_.source();
    const int rate = source ? source->sample_rate() : 48000;
    const double part = (height() - kMargin - at.y()) / std::max(1.0, height() - 2 * kMargin);
    const double value = p.lowest + std::clamp(part, 0.0, 1.0) * (p.highest - p.lowest);
    const double seconds = std::clamp(view_.to_seconds(at.x(), width()), 0.0, view_.total());
    return {static_cast<std::int64_t>(std::llround(seconds * rate)), std::round(value / p.step) * p.step};
}

std::optional<std::size_t> LineEditor::point_at(QPointF at) const {
    const SettingLane* shown = line();
    for (std::size_t i = 0; shown != nullptr && i < shown->points.size(); ++i) {
        const QPointF distance = position_of(shown->points[i]) - at;
        if (std::hypot(distance.x(), distance.y()) <= kGrab) return i;
    }
    return {};
}

void LineEditor::paintEvent(QPaintEvent*) {
    if (!setting_ || !document_.source()) return;
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    QColor shade = colour::kGround;
    shade.setAlpha(130);
    painter.fillRect(rect(), shade);
    const auto& p = info(*setting_);
    QFont small = font();
    small.setPointSizeF(7.5);
    painter.setFont(small);
    painter.setPen(colour::kDim);
    const QString unit = QString::fromUtf8(p.unit);
    painter.drawText(rect().adjusted(4, 1, -4, 0), Qt::AlignRight | Qt::AlignTop,
                     tr("%1 %2").arg(p.highest).arg(unit));
    painter.drawText(rect().adjusted(4, 0, -4, -1), Qt::AlignRight | Qt::AlignBottom,
                     tr("%1 %2").arg(p.lowest).arg(unit));
    painter.setPen(colour::kText);
    painter.drawText(rect().adjusted(6, 2, -60, 0), Qt::AlignLeft | Qt::AlignTop,
                     tr("%1 over time").arg(words(p.label)));
    const SettingLane* shown = line();
    if (shown == nullptr) {
        const auto* item = document_.current_item();
        if (item == nullptr) return;
        const double y = y_of(item->settings.stems[stem_].value(*setting_));
        painter.setPen(QPen(colour::kDim, 1, Qt::DashLine));
        painter.drawLine(QPointF(0, y), QPointF(width(), y));
        painter.drawText(rect(), Qt::AlignCenter, tr("Click to set the first point."));
        return;
    }
    QPainterPath path;
    path.moveTo(QPointF(std::min(0.0, position_of(shown->points.front()).x()),
                        position_of(shown->points.front()).y()));
    for (const auto& point : shown->points) path.lineTo(position_of(point));
    path.lineTo(QPointF(std::max<double>(width(), position_of(shown->points.back()).x()),
                        position_of(shown->points.back()).y()));
    painter.setPen(QPen(colour::kGround, 4));
    painter.drawPath(path);
    painter.setPen(QPen(colour::kText, 1.8));
    painter.drawPath(path);
    for (const auto& point : shown->points) {
        const QPointF at = position_of(point);
        const bool is_chosen = chosen_ && *chosen_ == point.frame;
        painter.setPen(QPen(colour::kGround, 1));
        painter.setBrush(is_chosen ? colour::kAct : colour::kText);
        painter.drawPolygon(QPolygonF(
            {{at.x() - 5, at.y()}, {at.x(), at.y() - 5}, {at.x() + 5, at.y()}, {at.x(), at.y() + 5}}));
        if (!is_chosen) continue;
        painter.setPen(colour::kAct);
        const double x = std::clamp(at.x() + 9, 2.0, width() - 70.0);
        const double y = std::clamp(at.y() - 14, 1.0, height() - 15.0);
        painter.drawText(QRectF(x, y, 70, 14), Qt::AlignLeft | Qt::AlignVCenter,
                         tr("%1 %2").arg(point.value, 0, 'f', p.step < 1 ? 1 : 0).arg(unit));
    }
}

void LineEditor::move_chosen(Place to) {
    const SettingLane* shown = line();
    if (shown == nullptr || !chosen_) return;
    const auto at = std::ranges::find(shown->points, *chosen_, &Breakpoint::frame);
    if (at == shown->points.end()) return;
    // A point never passes its neighbours.
    if (at != shown->points.begin()) to.frame = std::max(to.frame, (at - 1)->frame + 1);
    if (at + 1 != shown->points.end()) to.frame = std::min(to.frame, (at + 1)->frame - 1);
    const std::int64_t from = *chosen_;
    chosen_ = to.frame;
    document_.edit_lines(tr("Move a point"), "line point", [&](std::vector<SettingLane>& lines) {
        // The point is put first: a line that loses its last point would end.
        put_point(lines, stem_, *setting_, {to.frame, to.value});
        if (to.frame != from) erase_points(lines, stem_, *setting_, from, from + 1);
    });
}

void LineEditor::remove_chosen() {
    if (!chosen_ || !setting_) return;
    const std::int64_t at = *chosen_;
    chosen_.reset();
    document_.edit_lines(tr("Remove a point"), {}, [&](std::vector<SettingLane>& lines) {
        erase_points(lines, stem_, *setting_, at, at + 1);
    });
}

void LineEditor::mousePressEvent(QMouseEvent* event) {
    if (!setting_) return;
    const auto found = point_at(event->position());
    if (event->button() == Qt::RightButton) {
        if (!found) return;
        chosen_ = line()->points[*found].frame;
        remove_chosen();
        return;
    }
    if (event->button() != Qt::LeftButton) return;
    dragging_ = true;
    if (found) {
        chosen_ = line()->points[*found].frame;
        update();
        return;
    }
    const Place place = place_at(event->position());
    chosen_ = place.frame;
    document_.edit(tr("Set a point"), "line point", [&](Session& session) {
        auto& item = session.items[static_cast<std::size_t>(session.current)];
        put_point(item.lines, stem_, *setting_, {place.frame, place.value});
        if (info(*setting_).switchable) item.settings.stems[stem_].set_on(*setting_, true);
    });
}

void LineEditor::mouseMoveEvent(QMouseEvent* event) {
    if (dragging_) {
        move_chosen(place_at(event->position()));
    } else {
        setCursor(point_at(event->position()) ? Qt::OpenHandCursor : Qt::CrossCursor);
    }
}

void LineEditor::mouseReleaseEvent(QMouseEvent*) {
    if (dragging_) document_.close_step();
    dragging_ = false;
}

void LineEditor::keyPressEvent(QKeyEvent* event) {
    const SettingLane* shown = line();
    if (!setting_) return;
    if (event->key() == Qt::Key_Escape) return close_line();
    if (shown == nullptr) return QWidget::keyPressEvent(event);
    const auto& p = info(*setting_);
    auto at = shown->points.begin();
    if (chosen_) at = std::ranges::find(shown->points, *chosen_, &Breakpoint::frame);
    if (at == shown->points.end()) at = shown->points.begin();
    const double step = p.step * (event->modifiers() & Qt::ShiftModifier ? 10 : 1);
    switch (event->key()) {
        case Qt::Key_Left:
            if (chosen_ && at != shown->points.begin()) --at;
            chosen_ = at->frame;
            break;
        case Qt::Key_Right:
            if (chosen_ && at + 1 != shown->points.end()) ++at;
            chosen_ = at->frame;
            break;
        case Qt::Key_Up:
        case Qt::Key_Down: {
            chosen_ = at->frame;
            const double by = event->key() == Qt::Key_Up ? step : -step;
            move_chosen({at->frame, std::clamp(at->value + by, p.lowest, p.highest)});
            break;
        }
        case Qt::Key_Delete:
            remove_chosen();
            break;
        default:
            return QWidget::keyPressEvent(event);
    }
    update();
}

// The arrow keys and Delete are this editor's while it has the focus, not the window's shortcuts.
bool LineEditor::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        for (const int own :
             {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_Delete, Qt::Key_Escape}) {
            if (key != own) continue;
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

bool LineEditor::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize && setting_) lie_over_lane();
    return QWidget::eventFilter(watched, event);
}

}  // namespace rivlen::app
