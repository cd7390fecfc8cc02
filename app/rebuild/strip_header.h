// SPDX-License-Identifier: GPL-3.0-or-later
// The head of a track or bus: name, solo, mute, phase, gain, meter, and which line is shown.
#pragma once

#include <QComboBox>
#include <QToolButton>
#include <QWidget>

#include "app/shell/document.h"
#include "app/shell/selection.h"
#include "app/widgets/parameter_slider.h"

class QLabel;

namespace rivlen::app {

// Sets a value of a strip where the control shows it: at the playhead when it has a line, else for all times.
using SetStripValue = std::function<void(int strip, const StripLane& target, double value)>;

class LevelBar : public QWidget {
  public:
    explicit LevelBar(QWidget* parent = nullptr);
    // Highest sample since the last call, linear; it falls back by itself.
    void show_peak(float peak, float reduction_db);
    [[nodiscard]] double shown_db() const { return level_db_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    double level_db_ = -90, held_db_ = -90, reduction_db_ = 0;
    int held_for_ = 0;
};

class StripHeader : public QWidget {
    Q_OBJECT
  public:
    StripHeader(Document& document, Selection& selection, SetStripValue set_value, int strip,
                QWidget* parent = nullptr);
    [[nodiscard]] int strip() const { return strip_; }
    void follow_session();
    void follow_playhead(SessionFrame playhead);
    void show_peak(float peak, float reduction_db) { bar_->show_peak(peak, reduction_db); }
    [[nodiscard]] const LevelBar& bar() const { return *bar_; }

  signals:
    // Of all rows, in pixels.
    void height_wanted(int height);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] bool at_edge(double y) const;
    bool resizing_ = false;
    SessionFrame playhead_;
    void fill_lines();
    Document& document_;
    Selection& selection_;
    int strip_;
    QLabel* name_;
    QToolButton *solo_, *mute_, *polarity_;
    QComboBox* line_;
    ParameterSlider* gain_;
    LevelBar* bar_;
    std::vector<StripLane> targets_;
};

}  // namespace rivlen::app
