// SPDX-License-Identifier: GPL-3.0-or-later
// The acts of the Handover view with their keys.
#include <QMenu>

#include "app/shell/main_window.h"

namespace rivlen::app {

void MainWindow::build_handover_menus() {
    HandoverView* h = handover_;
    auto* table = add_menu(tr("Table"), View::Handover);
    add_act(table, tr("Add a row"), {QKeySequence("Insert")}, [h] { h->add_row(); });
    add_act(table, tr("Copy the row"), {QKeySequence("Shift+Insert")}, [h] { h->copy_row(); });
    add_act(table, tr("Remove the row"), {QKeySequence("Delete")}, [h] { h->remove_row(); });
    add_act(table, tr("Move the row up"), {QKeySequence("Ctrl+Up")}, [h] { h->move_row(-1); });
    add_act(table, tr("Move the row down"), {QKeySequence("Ctrl+Down")}, [h] { h->move_row(1); });
    add_act(table, tr("Open a table…"), {}, [h] { h->ask_open_table(); });
    add_act(table, tr("Keep the table…"), {}, [h] { h->ask_keep_table(); });
    add_act(table, tr("Standard table"), {}, [h] { h->take_standard_table(); });
    auto* deliver = add_menu(tr("Deliver"), View::Handover);
    add_act(deliver, tr("Check"), {QKeySequence("C")}, [h] { h->check_now(); });
    add_act(deliver, tr("Deliver or stop"), {QKeySequence("Ctrl+Return")}, [h] { h->deliver_now(); });
    add_act(deliver, tr("Open the report"), {QKeySequence("Shift+R")}, [h] { h->open_report(); });
}

}  // namespace rivlen::app
