// The settings of the chosen stem.
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QWidget>

#include "app/document.h"
#include "app/rail.h"

namespace rivlen::app {

class TuningPanel : public QWidget {
    Q_OBJECT
  public:
    explicit TuningPanel(Document& document, QWidget* parent = nullptr);
    void choose(std::size_t stem);
    void refresh();

  private:
    Document& document_;
    std::size_t stem_ = 0;
    QLabel *mark_, *name_;
    Rail *isolation_, *floor_, *gain_;
    QCheckBox* floor_on_;
};

}  // namespace rivlen::app
