// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/setting_line_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>
#include <functional>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr double kMargin = 6;  // above the highest value and below the lowest

}  // namespace

SettingLineEditor::SettingLineEditor(Document& document, TimeView& view, LaneCanvas& lanes)
    : QWidget(&lanes),
      document_(document),
      view_(view),
      lanes_(lanes),
      lane_([this](const QString& name, bool drag, const std::function<void(LaneEditor::Points&)>& act) {
          change(name, drag, act);
      }) {
    setObjectName("line_editor");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setVisible(false);
    lanes.installEventFilter(this);
    connect(&view_, &TimeView::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::session_changed, this, qOverload<>(&QWidget::update));
}

void SettingLineEditor::open(std::size_t stem, Setting setting) {
    if (document_.current_item() == nullptr) return;
    stem_ = stem;
    setting_ = setting;
    lane_.choose_none();
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

void SettingLineEditor::close_line() {
    setting_.reset();
    setVisible(false);
    emit opened_or_closed();
}

void SettingLineEditor::lie_over_lane() {
    setGeometry(lanes_.lane_rect(static_cast<int>(stem_) + 1));
}

std::span<const Breakpoint> SettingLineEditor::points() const {
    const auto* item = document_.current_item();
    const SettingLane* line =
        item != nullptr && setting_ ? find_lane(item->lines, stem_, *setting_) : nullptr;
    return line != nullptr ? std::span<const Breakpoint>(line->points) : std::span<const Breakpoint>();
}

LaneScale SettingLineEditor::scale() const {
    const auto& p = info(*setting_);
    const auto source = document_.source();
    const int rate = source ? source->sample_rate() : 48000;
    const int across = width();
    return {QRectF(0, kMargin, across, height() - 2 * kMargin),
            p.lowest,
            p.highest,
            p.step,
            QString::fromUtf8(p.unit),
            [this, rate, across](std::int64_t frame) { return view_.frame_x(frame, rate, across); },
            [this, rate, across](double x) {
                const double seconds = std::clamp(view_.to_seconds(x, across), 0.0, view_.total());
                return static_cast<std::int64_t>(std::llround(seconds * rate));
            }};
}

QPointF SettingLineEditor::position_of(const Breakpoint& point) const {
    return scale().position_of(point);
}

void SettingLineEditor::change(const QString& name, bool drag,
                               const std::function<void(LaneEditor::Points&)>& act) {
    document_.edit(name, drag ? "line point" : QString(), [&](Session& session) {
        auto& item = session.items[static_cast<std::size_t>(session.current)];
        const SettingLane* line = find_lane(item.lines, stem_, *setting_);
        auto points = line != nullptr ? line->points : LaneEditor::Points();
        const bool first = points.empty();
        act(points);
        set_points(item.lines, stem_, *setting_, std::move(points));
        if (first && info(*setting_).switchable) item.settings.stems[stem_].set_on(*setting_, true);
    });
}

void SettingLineEditor::paintEvent(QPaintEvent*) {
    if (!setting_ || !document_.source()) return;
    QPainter painter(this);
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
    const auto* item = document_.current_item();
    if (item == nullptr) return;
    const auto shown = points();
    draw_lane(painter, scale(), shown, item->settings.stems[stem_].value(*setting_), 0, width(),
              lane_.chosen());
    if (shown.empty()) painter.drawText(rect(), Qt::AlignCenter, tr("Click to set the first point."));
}

void SettingLineEditor::mousePressEvent(QMouseEvent* event) {
    if (!setting_) return;
    const bool held = lane_.take_hold(scale(), points(), event->position());
    if (event->button() == Qt::RightButton) {
        if (held) lane_.remove_chosen();
        return;
    }
    if (event->button() != Qt::LeftButton) return;
    dragging_ = true;
    if (!held) lane_.set(scale().point_at(event->position()));
    update();
}

void SettingLineEditor::mouseMoveEvent(QMouseEvent* event) {
    if (!setting_) return;
    if (dragging_) {
        lane_.drag_to(scale().point_at(event->position()));
    } else {
        setCursor(LaneEditor::is_over_point(scale(), points(), event->position()) ? Qt::OpenHandCursor
                                                                                  : Qt::CrossCursor);
    }
}

void SettingLineEditor::mouseReleaseEvent(QMouseEvent*) {
    if (dragging_) document_.close_step();
    dragging_ = false;
}

void SettingLineEditor::keyPressEvent(QKeyEvent* event) {
    if (!setting_) return;
    if (event->key() == Qt::Key_Escape) return close_line();
    if (!lane_.key(*event, scale(), points())) return QWidget::keyPressEvent(event);
    update();
}

// The arrow keys and Delete are this editor's while it has the focus, not the window's shortcuts.
bool SettingLineEditor::event(QEvent* event) {
    if (claims_key(event,
                   {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_Delete, Qt::Key_Escape}))
        return true;
    return QWidget::event(event);
}

bool SettingLineEditor::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize && setting_) lie_over_lane();
    return QWidget::eventFilter(watched, event);
}

}  // namespace rivlen::app
