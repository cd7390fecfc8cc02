// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the table of deliveries, and what is known of each: its file, its state, its loudness.
#pragma once

#include <QStringList>
#include <QTableWidget>
#include <functional>

#include "core/project/delivery_table.h"

namespace rivlen::app {

// An edit of one row. With a key, edits that follow each other are one step.
using EditRow =
    std::function<void(int row, const std::function<void(HandoverRow&)>& change, const QString& key)>;

class DeliveryRowsView : public QTableWidget {
    Q_OBJECT
  public:
    explicit DeliveryRowsView(EditRow edit, QWidget* parent = nullptr);
    // Shows a table anew; the chosen row stays chosen.
    void fill(const HandoverTemplate& table);
    void choose(int row);
    void show_file_names(const QStringList& names);
    void show_state(int row, const QString& state, const QString& sentence, bool trouble);
    void show_levels(int row, const QString& loudness, const QString& peak);
    // Whether the kind of file of a row has a depth.
    void allow_depth(int row, bool allowed);

  private:
    struct Choice {
        int column;
        const char* name;
        QStringList labels;
        int index;
        std::function<void(HandoverRow&, int)> change;
    };
    void fill_row(int row, const HandoverTemplate& table);
    void add_choice(int row, const Choice& choice);
    void add_target_choice(int row, const HandoverTemplate& table);
    EditRow edit_;
};

}  // namespace rivlen::app
