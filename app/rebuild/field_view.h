// SPDX-License-Identifier: GPL-3.0-or-later
// What leaves a track or bus: the level of each channel, and where it comes from.
#pragma once

#include <QImage>
#include <QWidget>
#include <vector>

#include "core/metering/level.h"
#include "core/space/field_map.h"
#include "core/space/layout.h"

namespace rivlen::app {

// Highest samples of the channels since the last call, side by side, each with its name.
class ChannelLevels : public QWidget {
    Q_OBJECT
  public:
    explicit ChannelLevels(QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {300, 64}; }
    void show_peaks(Layout layout, std::span<const float> peaks);
    // Highest true peaks since playing began, as marks with their numbers in the tool tip; missing: none.
    void show_true_peaks(const std::vector<Level>& peaks_dbtp);
    [[nodiscard]] const std::vector<double>& shown_db() const { return shown_db_; }
    [[nodiscard]] const std::vector<Level>& true_peaks_dbtp() const { return true_peaks_dbtp_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Layout layout_ = Layout::Stereo;
    std::vector<double> shown_db_;
    std::vector<Level> true_peaks_dbtp_;
};

// All directions as one looks at them: ahead in the middle, left on the left, above at the top.
class FieldView : public QWidget {
    Q_OBJECT
  public:
    explicit FieldView(QWidget* parent = nullptr);
    // As FieldMap::power() has it.
    void show_power(std::span<const float> power);
    // The same to lie over a picture that shows all directions: the softer, the more of it is seen.
    [[nodiscard]] const QImage& over_picture() const { return over_picture_; }
    [[nodiscard]] const std::vector<FieldMap::Peak>& peaks() const { return peaks_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    [[nodiscard]] QPointF spot(Direction direction) const;
    QImage image_, over_picture_;
    std::vector<FieldMap::Peak> peaks_;
};

}  // namespace rivlen::app
