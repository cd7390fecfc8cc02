// SPDX-License-Identifier: GPL-3.0-or-later
// What a part of a chain does, drawn: response over frequency on the live spectrum, or level out over level
// in, or the spectrum of what a repair takes out. The points of an equaliser are its controls.
#pragma once

#include <QPainterPath>
#include <QWidget>
#include <optional>

#include "core/effects/curves.h"

namespace rivlen::app {

class PartGraph : public QWidget {
    Q_OBJECT
  public:
    explicit PartGraph(QWidget* parent = nullptr);
    void show_part(const Insert& part, int sample_rate);
    // Levels in dBFS at spectrum_place_hz(); empty: none.
    void show_spectrum(std::vector<float> levels);
    // What a repair takes out, likewise.
    void show_removed(std::vector<float> levels);
    [[nodiscard]] QPointF point_of(std::size_t band) const;  // of an equaliser

  signals:
    void changed(std::size_t parameter, double value);
    void released();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] double x_of_hz(double hz) const;
    [[nodiscard]] double y_of_db(double db) const;  // of a response
    [[nodiscard]] double x_of_level(double db) const;
    [[nodiscard]] double y_of_level(double db) const;
    Insert part_;
    int rate_ = 48000;
    std::vector<float> spectrum_, removed_;
    [[nodiscard]] QPainterPath noise_path() const;  // that a hiss part expects
    [[nodiscard]] QPainterPath spectrum_path(const std::vector<float>& levels) const;
    std::optional<std::size_t> dragged_;
};

}  // namespace rivlen::app
