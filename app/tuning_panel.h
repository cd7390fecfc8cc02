// The tuning side: trade-off graph, proposal, every setting of the chosen stem, and its frequency weighting.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QToolButton>
#include <QWidget>
#include <array>

#include "app/document.h"
#include "app/measuring.h"
#include "app/rail.h"
#include "app/tradeoff_graph.h"
#include "app/weighting_editor.h"

namespace rivlen::app {

class TuningPanel : public QWidget {
    Q_OBJECT
  public:
    TuningPanel(Document& document, Measuring& measuring, QWidget* parent = nullptr);
    void choose(std::size_t stem);
    void refresh();
    void take_proposal();

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    struct Row {
        QWidget* box = nullptr;
        QCheckBox* on = nullptr;  // null for what cannot be switched
        Rail* rail = nullptr;
    };
    void add_row(Setting setting);
    void explain(const QString& words);
    void show_figures();
    Document& document_;
    Measuring& measuring_;
    std::size_t stem_ = 0;
    QLabel *mark_, *name_, *figures_, *reason_, *help_;
    TradeOffGraph* graph_;
    WeightingEditor* weighting_;
    QCheckBox* weighting_on_;
    QComboBox* purpose_;
    QToolButton* take_;
    std::array<Row, kSettings> rows_;
    QWidget* rows_box_;
};

}  // namespace rivlen::app
