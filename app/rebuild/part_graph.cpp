// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/part_graph.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/theme.h"
#include "core/effects/tap.h"

namespace rivlen::app {

using parameter::eq_gain_db;
using parameter::eq_hz;
using parameter::kEqBands;

namespace {

constexpr double kRangeDb = 18;       // of a response, up and down
constexpr double kLowestLevel = -60;  // of a static curve
constexpr double kSpectrumLow = -90, kSpectrumHigh = -6;
constexpr double kReach = 10;

}  // namespace

PartGraph::PartGraph(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(74);
    setAccessibleName(tr("Curve of the part"));
}

void PartGraph::show_part(const Insert& part, int sample_rate) {
    part_ = part;
    rate_ = std::max(8000, sample_rate);
    update();
}

void PartGraph::show_spectrum(std::vector<float> levels) {
    spectrum_ = std::move(levels);
    update();
}

void PartGraph::show_removed(std::vector<float> levels) {
    removed_ = std::move(levels);
    update();
}

QPainterPath PartGraph::spectrum_path(const std::vector<float>& levels) const {
    QPainterPath path(QPointF(0, height()));
    for (std::size_t p = 0; p < levels.size(); ++p) {
        const double part = (static_cast<double>(levels[p]) - kSpectrumLow) / (kSpectrumHigh - kSpectrumLow);
        path.lineTo(x_of_hz(spectrum_place_hz(p)), height() * (1 - std::clamp(part, 0.0, 1.0)));
    }
    path.lineTo(width(), height());
    return path;
}

QPainterPath PartGraph::noise_path() const {
    QPainterPath path;
    for (int x = 0; x <= width(); x += 2) {
        const double hz = 20 * std::pow(1000.0, static_cast<double>(x) / std::max(1, width()));
        if (hz < part_[parameter::kHissFromHz]) continue;
        if (hz > 0.499 * rate_) break;
        const QPointF p(x, height() * (1 - std::clamp((expected_noise_db(part_, rate_, hz) - kSpectrumLow) /
                                                          (kSpectrumHigh - kSpectrumLow),
                                                      0.0, 1.0)));
        path.elementCount() == 0 ? path.moveTo(p) : path.lineTo(p);
    }
    return path;
}

double PartGraph::x_of_hz(double hz) const {
    return width() * std::log(hz / 20.0) / std::log(1000.0);
}
double PartGraph::y_of_db(double db) const {
    return height() * (0.5 - db / (2 * kRangeDb));
}
double PartGraph::x_of_level(double db) const {
    return width() * (db - kLowestLevel) / -kLowestLevel;
}
double PartGraph::y_of_level(double db) const {
    return height() * (1 - (db - kLowestLevel) / -kLowestLevel);
}

QPointF PartGraph::point_of(std::size_t band) const {
    return {x_of_hz(part_[eq_hz(band)]), y_of_db(part_[eq_gain_db(band)])};
}

void PartGraph::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), QColor(12, 14, 16));
    painter.setRenderHint(QPainter::Antialiasing);
    const bool removed = curve_kind(part_.kind) == CurveKind::Removed;
    const bool time = curve_kind(part_.kind) == CurveKind::Time;
    const bool frequency = removed || curve_kind(part_.kind) == CurveKind::Frequency;
    painter.setPen(QPen(colour::kLine, 1, Qt::DotLine));
    if (frequency) {
        for (const double hz : {100.0, 1000.0, 10000.0})
            painter.drawLine(QPointF(x_of_hz(hz), 0), QPointF(x_of_hz(hz), height()));
        if (!removed) painter.drawLine(QPointF(0, y_of_db(0)), QPointF(width(), y_of_db(0)));
        if (!spectrum_.empty()) {
            QColor fill = colour::kDim;
            fill.setAlpha(70);
            painter.fillPath(spectrum_path(spectrum_), fill);
        }
        painter.setPen(colour::kDim);
        painter.setFont(number_font());
        painter.drawText(QPointF(x_of_hz(1000) + 3, height() - 4), tr("1 kHz"));
    } else {
        for (const double db : {-40.0, -20.0}) {
            painter.drawLine(QPointF(x_of_level(db), 0), QPointF(x_of_level(db), height()));
            painter.drawLine(QPointF(0, y_of_level(db)), QPointF(width(), y_of_level(db)));
        }
        if (!time) painter.drawLine(QPointF(0, height()), QPointF(width(), 0));
        painter.setPen(colour::kDim);
        painter.setFont(number_font());
        painter.drawText(QPointF(x_of_level(-20) + 3, height() - 4),
                         time ? tr("%1 s").arg(kCurveSeconds * 2 / 3, 0, 'f', 1) : tr("-20 dBFS in"));
    }
    if (removed) {
        painter.setPen(colour::kDim);
        painter.drawText(QPointF(4, 12), tr("what it takes out"));
        if (part_.kind == EffectType::Hiss) {
            painter.setPen(QPen(part_.on ? colour::kAct : colour::kDim, 1.2));
            painter.drawPath(noise_path());
        }
        if (removed_.empty() || !part_.on) return;
        QColor fill = colour::kWarn;
        fill.setAlpha(110);
        painter.fillPath(spectrum_path(removed_), fill);
        painter.strokePath(spectrum_path(removed_), QPen(colour::kWarn, 1));
        return;
    }
    QPainterPath curve;
    for (int x = 0; x <= width(); x += 2) {
        const double part = static_cast<double>(x) / std::max(1, width());
        const double at = frequency ? 20 * std::pow(1000.0, part)
                          : time    ? kCurveSeconds * part
                                    : kLowestLevel * (1 - part);
        if (frequency && at > 0.499 * rate_) break;
        const double db = curve_db(part_, rate_, at);
        const QPointF p(x, std::clamp(frequency ? y_of_db(db) : y_of_level(db), -4.0, height() + 4.0));
        x == 0 ? curve.moveTo(p) : curve.lineTo(p);
    }
    painter.setPen(QPen(part_.on ? colour::kAct : colour::kDim, 1.6));
    painter.drawPath(curve);
    if (part_.kind != EffectType::Equaliser) return;
    for (std::size_t band = 0; band < kEqBands; ++band) {
        painter.setBrush(dragged_ == band ? colour::kAct : colour::kGround);
        painter.drawEllipse(point_of(band), 4, 4);
    }
}

void PartGraph::mousePressEvent(QMouseEvent* event) {
    if (part_.kind != EffectType::Equaliser || event->button() != Qt::LeftButton) return;
    double nearest = kReach;
    for (std::size_t band = 0; band < kEqBands; ++band) {
        const QPointF d = event->position() - point_of(band);
        const double distance = std::hypot(d.x(), d.y());
        if (distance > nearest) continue;
        nearest = distance;
        dragged_ = band;
    }
    update();
}

void PartGraph::mouseMoveEvent(QMouseEvent* event) {
    if (!dragged_) return;
    const std::size_t at_hz = eq_hz(*dragged_).index, at_gain = eq_gain_db(*dragged_).index;
    const auto& parameters = info(part_.kind).parameters;
    const double hz = 20 * std::pow(1000.0, event->position().x() / std::max(1, width()));
    const double db = (0.5 - event->position().y() / height()) * 2 * kRangeDb;
    emit changed(at_hz, std::round(std::clamp(hz, parameters[at_hz].lowest, parameters[at_hz].highest)));
    emit changed(
        at_gain,
        std::round(10 * std::clamp(db, parameters[at_gain].lowest, parameters[at_gain].highest)) / 10);
}

void PartGraph::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_) emit released();
    dragged_.reset();
    update();
}

}  // namespace rivlen::app
