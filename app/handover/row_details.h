// SPDX-License-Identifier: GPL-3.0-or-later
// What is seldom set of a row of the table of deliveries.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QWidget>

#include "app/handover/delivery_rows_view.h"

namespace rivlen::app {

class RowDetails : public QWidget {
    Q_OBJECT
  public:
    explicit RowDetails(EditRow edit, QWidget* parent = nullptr);
    // Of this row; null: none is chosen.
    void show_row(int row, const HandoverRow* shown);

  private:
    EditRow edit_;
    int row_ = -1;
    QLineEdit *pattern_, *language_;
    QComboBox* channels_;
    QCheckBox *objects_, *ac3_, *loop_only_, *original_;
};

}  // namespace rivlen::app
