// SPDX-License-Identifier: GPL-3.0-or-later
// The tuning side: trade-off graph, proposal, every setting of the chosen stem, and its frequency weighting.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QToolButton>
#include <QWidget>
#include <array>

#include "app/separate/measuring.h"
#include "app/separate/tradeoff_graph.h"
#include "app/separate/weighting_editor.h"
#include "app/shell/document.h"
#include "app/widgets/parameter_slider.h"

namespace rivlen::app {

class TuningPanel : public QWidget {
    Q_OBJECT
  public:
    TuningPanel(Document& document, Measuring& measuring, QWidget* parent = nullptr);
    void choose(std::size_t stem);
    void refresh();
    void take_proposal();
    // Shows that the line of a setting is open (or of none), and what lines say at the playhead now.
    void show_line(std::optional<Setting> open);
    void follow_playhead();
    // The setting whose control was touched last.
    [[nodiscard]] Setting touched() const { return touched_; }

  signals:
    void line_wanted(Setting setting, bool open);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    struct Row {
        QWidget* box = nullptr;
        QCheckBox* on = nullptr;  // null for what cannot be switched
        ParameterSlider* slider = nullptr;
        QToolButton* line = nullptr;  // opens the setting's line over time
    };
    void add_row(Setting setting);
    void explain(const QString& words);
    void show_figures();
    Document& document_;
    Measuring& measuring_;
    std::size_t stem_ = 0;
    Setting touched_ = Setting::Isolation;
    QLabel *mark_, *name_, *figures_, *reason_, *help_;
    TradeOffGraph* graph_;
    WeightingEditor* weighting_;
    QCheckBox* weighting_on_;
    QCheckBox* both_channels_;  // only where a group of channels has two
    QComboBox* purpose_;
    QToolButton* take_;
    std::array<Row, kSettings> rows_;
    QWidget* rows_box_;
};

}  // namespace rivlen::app
