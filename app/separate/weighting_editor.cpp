// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/weighting_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {
constexpr double kGrabPixels = 9;
constexpr double kBottom = 14;
}  // namespace

WeightingEditor::WeightingEditor(Document& document, Measuring& measuring, QWidget* parent)
    : QWidget(parent), document_(document), measuring_(measuring) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(58);
    setAccessibleName(tr("Frequency weighting"));
    setToolTip(
        tr("Isolation acts more strongly above the middle line and less below it. Double-click adds a point, "
           "drag "
           "moves it, X switches it, Delete removes it. Too much in the highs makes a voice dull."));
    connect(&measuring_, &Measuring::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::session_changed, this, qOverload<>(&QWidget::update));
}

double WeightingEditor::x_of(double hz) const {
    return width() * std::log(hz / kLowestPointHz) / std::log(kHighestPointHz / kLowestPointHz);
}
double WeightingEditor::hz_of(double x) const {
    const double part = std::clamp(x / std::max(width(), 1), 0.0, 1.0);
    return kLowestPointHz * std::pow(kHighestPointHz / kLowestPointHz, part);
}
double WeightingEditor::y_of(double strength) const {
    return (height() - kBottom) * (0.5 - strength / 200.0 * 0.94);
}
double WeightingEditor::strength_of(double y) const {
    return std::clamp((0.5 - y / std::max(height() - kBottom, 1.0)) * 200.0 / 0.94, -100.0, 100.0);
}
QPointF WeightingEditor::position_of(const WeightPoint& point) const {
    return {x_of(point.hz), y_of(point.strength_percent)};
}

const StemSettings* WeightingEditor::settings() const {
    const auto* item = document_.current_item();
    return item != nullptr ? &item->edited().stems[measuring_.stem()] : nullptr;
}

int WeightingEditor::point_at(QPointF at) const {
    const auto* s = settings();
    if (s == nullptr) return -1;
    for (std::size_t i = 0; i < s->weighting.size(); ++i) {
        const QPointF d = position_of(s->weighting[i]) - at;
        if (std::hypot(d.x(), d.y()) <= kGrabPixels) return static_cast<int>(i);
    }
    return -1;
}

void WeightingEditor::change(const QString& label, const QString& key,
                             const std::function<void(StemSettings&)>& edit) {
    document_.edit_settings(label, key, [&](ShapeSettings& s) { edit(s.stems[measuring_.stem()]); });
}

void WeightingEditor::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colour::kGround);
    const double bottom = height() - kBottom;
    if (const auto* spectra = measuring_.spectra()) {
        float top = -120;
        for (std::size_t b = 0; b < kBands; ++b)
            top = std::max({top, spectra->stem_db[b], spectra->rest_db[b]});
        const auto outline = [&](const std::array<float, kBands>& level, QColor tint) {
            QPainterPath path(QPointF(0, bottom));
            for (std::size_t b = 0; b < kBands; ++b) {
                const double hz = std::max(band_centre_hz(static_cast<int>(b)), kLowestPointHz);
                const double part = std::clamp(1.0 + static_cast<double>(level[b] - top) / 72.0, 0.0, 1.0);
                path.lineTo(x_of(hz), bottom * (1.0 - 0.95 * part));
            }
            path.lineTo(width(), bottom);
            tint.setAlpha(95);
            painter.setPen(Qt::NoPen);
            painter.setBrush(tint);
            painter.drawPath(path);
        };
        outline(spectra->rest_db, colour::kDim);
        outline(spectra->stem_db, stem_colour(measuring_.stem()));
    }
    painter.setPen(QPen(colour::kLine, 1));
    painter.drawLine(QPointF(0, y_of(0)), QPointF(width(), y_of(0)));
    QFont small = font();
    small.setPointSizeF(7.5);
    painter.setFont(small);
    painter.setPen(colour::kDim);
    for (const auto& [hz, label] : {std::pair{100.0, "100"}, {1000.0, "1k"}, {10000.0, "10k Hz"}})
        painter.drawText(QRectF(x_of(hz) - 24, bottom, 48, kBottom), Qt::AlignCenter, label);
    const auto* s = settings();
    if (s == nullptr) return;
    QPainterPath curve;
    for (int x = 0; x <= width(); x += 3) {
        const QPointF at(x, y_of((weighting_factor(*s, hz_of(x)) - 1.0) * 100.0));
        if (x == 0) {
            curve.moveTo(at);
        } else {
            curve.lineTo(at);
        }
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(s->weighting_on ? colour::kAct : colour::kDim, 1.6));
    painter.drawPath(curve);
    for (std::size_t i = 0; i < s->weighting.size(); ++i) {
        const auto& point = s->weighting[i];
        painter.setPen(QPen(static_cast<int>(i) == chosen_ ? colour::kText : colour::kAct, 1.6));
        painter.setBrush(point.on && s->weighting_on ? QBrush(colour::kAct) : QBrush(colour::kGround));
        painter.drawRect(QRectF(position_of(point) - QPointF(4, 4), QSizeF(8, 8)));
    }
}

void WeightingEditor::mousePressEvent(QMouseEvent* event) {
    chosen_ = point_at(event->position());
    if (event->button() == Qt::RightButton && chosen_ >= 0) {
        change(tr("Remove weighting point"), {},
               [this](StemSettings& s) { s.weighting.erase(s.weighting.begin() + chosen_); });
        chosen_ = -1;
    }
    dragging_ = event->button() == Qt::LeftButton && chosen_ >= 0;
    update();
}

void WeightingEditor::mouseMoveEvent(QMouseEvent* event) {
    if (!dragging_) return;
    change(tr("Frequency weighting"), "weighting", [&](StemSettings& s) {
        auto& point = s.weighting.at(static_cast<std::size_t>(chosen_));
        point.hz = std::round(hz_of(event->position().x()));
        point.strength_percent = std::round(strength_of(event->position().y()));
    });
}

void WeightingEditor::mouseReleaseEvent(QMouseEvent*) {
    if (dragging_) document_.close_step();
    dragging_ = false;
}

void WeightingEditor::mouseDoubleClickEvent(QMouseEvent* event) {
    if (point_at(event->position()) >= 0) return;
    change(tr("Add weighting point"), {}, [&](StemSettings& s) {
        s.weighting.push_back(
            {std::round(hz_of(event->position().x())), std::round(strength_of(event->position().y())), true});
        s.weighting_on = true;
    });
    const auto* s = settings();
    chosen_ = s != nullptr ? static_cast<int>(s->weighting.size()) - 1 : -1;
}

bool WeightingEditor::event(QEvent* event) {
    if (claims_key(event, {Qt::Key_Insert, Qt::Key_Backspace, Qt::Key_PageDown, Qt::Key_Up, Qt::Key_Down,
                           Qt::Key_Left, Qt::Key_Right, Qt::Key_X, Qt::Key_Delete}))
        return true;
    return QWidget::event(event);
}

void WeightingEditor::keyPressEvent(QKeyEvent* event) {
    const auto* s = settings();
    const int count = s != nullptr ? static_cast<int>(s->weighting.size()) : 0;
    if (event->key() == Qt::Key_Insert) {
        change(tr("Add weighting point"), {}, [](StemSettings& x) {
            x.weighting.push_back({1000, 0, true});
        });
        chosen_ = count;
        return;
    }
    if (event->key() == Qt::Key_Backspace) {
        change(tr("Reset weighting"), {}, [](StemSettings& x) { x.weighting.clear(); });
        chosen_ = -1;
        return;
    }
    if (event->key() == Qt::Key_PageDown && count > 0) {
        chosen_ = (chosen_ + 1) % count;
        update();
        return;
    }
    if (chosen_ < 0 || chosen_ >= count) return QWidget::keyPressEvent(event);
    const auto edit = [&](const QString& label, const std::function<void(WeightPoint&)>& act) {
        change(label, "weighting",
               [&](StemSettings& x) { act(x.weighting.at(static_cast<std::size_t>(chosen_))); });
        document_.close_step();
    };
    const double strength = event->modifiers() & Qt::ShiftModifier ? 25 : 5;
    switch (event->key()) {
        case Qt::Key_Up:
            edit(tr("Frequency weighting"), [&](WeightPoint& p) {
                p.strength_percent = std::min(100.0, p.strength_percent + strength);
            });
            break;
        case Qt::Key_Down:
            edit(tr("Frequency weighting"), [&](WeightPoint& p) {
                p.strength_percent = std::max(-100.0, p.strength_percent - strength);
            });
            break;
        case Qt::Key_Left:
            edit(tr("Frequency weighting"),
                 [](WeightPoint& p) { p.hz = std::max(kLowestPointHz, p.hz / 1.06); });
            break;
        case Qt::Key_Right:
            edit(tr("Frequency weighting"),
                 [](WeightPoint& p) { p.hz = std::min(kHighestPointHz, p.hz * 1.06); });
            break;
        case Qt::Key_X:
            edit(tr("Switch weighting point"), [](WeightPoint& p) { p.on = !p.on; });
            break;
        case Qt::Key_Delete:
            change(tr("Remove weighting point"), {},
                   [this](StemSettings& x) { x.weighting.erase(x.weighting.begin() + chosen_); });
            chosen_ = -1;
            break;
        default:
            QWidget::keyPressEvent(event);
    }
}

}  // namespace rivlen::app
