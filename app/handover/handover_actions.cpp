// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done in the Hand over view, with its keys.
#include "app/handover/delivery_rows_view.h"
#include "app/handover/handover_view.h"

namespace rivlen::app {

std::vector<ActionMenu> HandoverView::menus() {
    std::vector<Action> rows = {
        {"handover_add", tr("Add a row"), {QKeySequence("Insert")}, [this] { add_row(); }},
        {"handover_copy", tr("Copy the row"), {QKeySequence("Shift+Insert")}, [this] { copy_row(); }},
        {"handover_stems", tr("Add the stems of its version"), {QKeySequence("S")}, [this] { add_stems(); }},
        {"handover_fold",
         tr("Hide or show the rows of its version"),
         {QKeySequence("F")},
         [this] { rows_->fold(current()); }},
        {"handover_remove", tr("Remove the row"), {QKeySequence("Delete")}, [this] { remove_row(); }},
        {"handover_up", tr("Move the row up"), {QKeySequence("Ctrl+Up")}, [this] { move_row(-1); }},
        {"handover_down", tr("Move the row down"), {QKeySequence("Ctrl+Down")}, [this] { move_row(1); }},
    };
    std::vector<Action> tables = {
        {"handover_open", tr("Open a table…"), {}, [this] { ask_open_table(); }},
        {"handover_keep", tr("Keep the table…"), {}, [this] { ask_keep_table(); }},
        {"standard_table", tr("Standard table"), {}, [this] { take_standard_table(); }},
    };
    std::vector<Action> deliver = {
        {"handover_check", tr("Check"), {QKeySequence("C")}, [this] { check_now(); }},
        {"handover_deliver", tr("Deliver or stop"), {QKeySequence("Ctrl+Return")}, [this] { deliver_now(); }},
        {"handover_recordings",
         tr("Deliver other recordings…"),
         {QKeySequence("Ctrl+Shift+Return")},
         [this] { ask_recordings(); }},
        {"handover_report", tr("Report beside the table"), {QKeySequence("R")}, [this] { toggle_report(); }},
        {"handover_report_page",
         tr("Open the report elsewhere"),
         {QKeySequence("Shift+R")},
         [this] { open_report(); }},
    };
    return {{tr("Table"), {rows, tables}}, {tr("Deliver"), {deliver}}};
}

}  // namespace rivlen::app
