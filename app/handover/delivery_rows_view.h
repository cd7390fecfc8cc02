// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the table of deliveries, and what is known of each: its file, its state, its loudness.
#pragma once

#include <QStringList>
#include <QTableWidget>
#include <functional>
#include <set>

#include "app/handover/row_delegates.h"
#include "core/delivery/deliver.h"
#include "core/delivery/delivery_rows.h"
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
    // What the target allows, and where the file lies in it; delivered: null before that.
    void show_levels(int row, const HandoverTemplate& table, const DeliveredRow* delivered);
    // Whether files under the picture are coded with loss, so that their peaks may be higher.
    void set_picture_codes(bool codes) { picture_codes_ = codes; }
    // A row whose cells show an edit already.
    void follow(int row, const HandoverTemplate& table);
    // Only what was delivered and how it measures, where there is little room.
    void show_results_only(bool only);
    // Hides or shows the rows that belong under a mix.
    void fold(int row);
    // Whether the kind of file of a row has a depth.
    void allow_depth(int row, bool allowed);

  protected:
    void resizeEvent(QResizeEvent* event) override;

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
    [[nodiscard]] int rows_under(int mix) const;
    void show_folds();
    void fit_heights();
    EditRow edit_;
    bool picture_codes_ = false;
    WholeNameDelegate* names_ = nullptr;
    std::vector<HandoverRow> keys_;  // the rows as they are shown
    std::set<VersionKey> folded_;    // versions whose rows are hidden
};

}  // namespace rivlen::app
