// SPDX-License-Identifier: GPL-3.0-or-later
// The stretch of time on the screen, shared by everything with a time axis.
#pragma once

#include <QObject>
#include <QTimer>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>
#include <cstdint>

namespace rivlen::app {

class TimeView : public QObject {
    Q_OBJECT
  public:
    explicit TimeView(QObject* parent = nullptr) : QObject(parent) {
        glide_.setInterval(16);
        connect(&glide_, &QTimer::timeout, this, [this] { step(); });
    }
    void set_total(double seconds) {
        total_ = std::max(seconds, 0.01);
        start_ = target_start_ = 0;
        span_ = target_span_ = total_;
        emit changed();
    }
    [[nodiscard]] double total() const { return total_; }
    [[nodiscard]] double start() const { return start_; }
    [[nodiscard]] double span() const { return span_; }
    [[nodiscard]] double to_x(double seconds, int width) const { return (seconds - start_) / span_ * width; }
    [[nodiscard]] double frame_x(std::int64_t frame, int sample_rate, int width) const {
        return to_x(static_cast<double>(frame) / sample_rate, width);
    }
    [[nodiscard]] double to_seconds(double x, int width) const {
        return start_ + x / std::max(width, 1) * span_;
    }
    // Zooms around a time; the view glides there.
    void zoom(double factor, double around_seconds) {
        const double span = std::clamp(target_span_ * factor, std::min(0.02, total_), total_);
        const double part = (around_seconds - target_start_) / target_span_;
        target_span_ = span;
        set_target(around_seconds - part * span);
    }
    void scroll(double seconds) { set_target(target_start_ + seconds); }
    void show(double start, double span) {
        target_span_ = std::clamp(span, std::min(0.02, total_), total_);
        set_target(start);
    }
    // A wheel over a widget of this width: zooms around the pointer; with Shift, or sideways, it scrolls.
    void wheel(const QWheelEvent& event, int width) {
        constexpr double kZoomStep = 0.8;
        constexpr double kScrollStep = 0.12;  // of what is shown
        const double steps = event.angleDelta().y() / 120.0;
        const double sideways = event.angleDelta().x() / 120.0;
        if (event.modifiers() & Qt::ShiftModifier) {
            scroll(-(steps + sideways) * span() * kScrollStep);
            return;
        }
        if (steps != 0) zoom(std::pow(kZoomStep, steps), to_seconds(event.position().x(), width));
        if (sideways != 0) scroll(-sideways * span() * kScrollStep);
    }
    // Brings a time into view, as playback reaches the edge.
    void follow(double seconds) {
        if (seconds < target_start_ || seconds > target_start_ + target_span_ * 0.97)
            set_target(seconds - target_span_ * 0.05);
    }
    // At once, without gliding (tests, pictures).
    void settle() {
        start_ = target_start_;
        span_ = target_span_;
        glide_.stop();
        emit changed();
    }

  signals:
    void changed();

  private:
    void set_target(double start) {
        target_start_ = std::clamp(start, 0.0, total_ - target_span_);
        glide_.start();
    }
    void step() {
        constexpr double kPart = 0.35;
        start_ += kPart * (target_start_ - start_);
        span_ += kPart * (target_span_ - span_);
        if (std::abs(start_ - target_start_) < span_ * 1e-4 &&
            std::abs(span_ - target_span_) < span_ * 1e-4) {
            start_ = target_start_;
            span_ = target_span_;
            glide_.stop();
        }
        emit changed();
    }
    double total_ = 1, start_ = 0, span_ = 1, target_start_ = 0, target_span_ = 1;
    QTimer glide_;
};

}  // namespace rivlen::app
