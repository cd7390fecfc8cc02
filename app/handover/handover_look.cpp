// SPDX-License-Identifier: GPL-3.0-or-later
// The controls above and below the table of deliveries.
#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include "app/handover/handover_view.h"
#include "app/widgets/controls.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/text.h"

namespace rivlen::app {

QWidget* HandoverView::build_head() {
    auto* head = new QWidget(this);
    auto* line = new QHBoxLayout(head);
    line->setContentsMargins(0, 0, 0, 0);
    table_name_ = new QLabel(head);
    QFont font = table_name_->font();
    font.setBold(true);
    table_name_->setFont(font);
    line->addWidget(table_name_);
    const auto button = [&](const QString& label, const char* name, const QString& sentence, auto act) {
        auto* b = make_button(label, name, sentence, head);
        connect(b, &QToolButton::clicked, this, act);
        line->addWidget(b);
        return b;
    };
    auto* common =
        button(tr("Tables"), "common_tables",
               tr("Tables for common jobs. They take the place of this one; undo brings it back."), [] {});
    auto* choices = new QMenu(common);
    choices->setToolTipsVisible(true);
    for (const auto& table : common_tables()) {
        auto* choice =
            choices->addAction(words(table.name.c_str()), this, [this, table] { set_table(table); });
        choice->setToolTip(words(table.note.c_str()));
    }
    common->setMenu(choices);
    common->setPopupMode(QToolButton::InstantPopup);
    button(tr("Open table…"), "handover_open", tr("Another table of deliveries."),
           [this] { ask_open_table(); });
    button(tr("Keep table…"), "handover_keep",
           tr("Keeps the table as a file, for other programmes and people."), [this] { ask_keep_table(); });
    line->addStretch(1);
    line->addWidget(new QLabel(tr("Programme"), head));
    name_ = new QLineEdit(head);
    name_->setObjectName("handover_name");
    name_->setAccessibleName(tr("Name of the programme"));
    name_->setFixedWidth(170);
    connect(name_, &QLineEdit::textEdited, this, [this] {
        name_typed_ = true;
        show_file_names();
    });
    line->addWidget(name_);
    line->addWidget(new QLabel(tr("Folder"), head));
    folder_ = new QLineEdit(head);
    folder_->setObjectName("handover_folder");
    folder_->setAccessibleName(tr("Folder for the files"));
    folder_->setMinimumWidth(240);
    connect(folder_, &QLineEdit::textEdited, this, [this] { folder_typed_ = true; });
    line->addWidget(folder_);
    button(tr("…"), "handover_choose_folder", tr("Choose the folder."), [this] {
        if (const auto chosen =
                ask_folder(this, tr("Folder for the files"), "handover", folder_->text().toStdString()))
            set_folder(*chosen);
    });
    return head;
}

QWidget* HandoverView::build_acts() {
    auto* acts = new QWidget(this);
    auto* line = new QHBoxLayout(acts);
    line->setContentsMargins(0, 0, 0, 0);
    const auto button = [&](const QString& label, const char* name, const QString& sentence, auto act) {
        auto* b = make_button(label, name, sentence, acts);
        connect(b, &QToolButton::clicked, this, act);
        line->addWidget(b);
        return b;
    };
    button(tr("Add"), "handover_add", tr("A further row."), [this] { add_row(); });
    button(tr("Copy"), "handover_copy", tr("The chosen row once more."), [this] { copy_row(); });
    button(tr("Remove"), "handover_remove", tr("Takes the chosen row out."), [this] { remove_row(); });
    button(QChar(0x2191), "handover_up", tr("Moves the chosen row up."), [this] { move_row(-1); });
    button(QChar(0x2193), "handover_down", tr("Moves the chosen row down."), [this] { move_row(1); });
    button(tr("Its stems"), "handover_stems",
           tr("Adds a row for each stem of the chosen row's version, with its target and gain."),
           [this] { add_stems(); });
    line->addStretch(1);
    size_ = new QLabel(acts);
    size_->setObjectName("handover_size");
    dim(size_);
    line->addWidget(size_);
    const auto option = [&](const QString& label, const char* name, const QString& sentence,
                            bool HandoverTemplate::*field) {
        auto* box = new QCheckBox(label, acts);
        box->setObjectName(name);
        box->setToolTip(sentence);
        connect(box, &QCheckBox::clicked, this, [this, field, label](bool on) {
            edit_table(label, [&](HandoverTemplate& t) { t.*field = on; });
        });
        line->addWidget(box);
        return box;
    };
    exchange_ =
        option(tr("Lists for other tools"), "handover_exchange",
               tr("Beside the files: cut lists (EDL), a table of clips, OpenTimelineIO and DAWproject."),
               &HandoverTemplate::exchange);
    umid_ = option(tr("UMID"), "handover_umid",
                   tr("Broadcast WAVs carry a unique material identifier (SMPTE ST 330)."),
                   &HandoverTemplate::umid);
    replace_ = new QCheckBox(tr("Replace files"), acts);
    replace_->setObjectName("handover_replace");
    replace_->setToolTip(tr("Files that are there already and were made from something else are replaced."));
    line->addWidget(replace_);
    button(tr("Check"), "handover_check", tr("Tells what is wrong before anything is written."),
           [this] { check_now(); });
    deliver_ =
        button(tr("Deliver"), "handover_deliver",
               tr("Writes all rows that are ticked, and reads every file back."), [this] { deliver_now(); });
    button(
        tr("Other recordings…"), "handover_recordings",
        tr("Delivers recordings that you choose by this table: each is split, and gets a folder of its own."),
        [this] { ask_recordings(); });
    open_report_ = button(tr("Report"), "handover_report",
                          tr("Shows or hides the report of the last delivery beside the table."),
                          [this] { toggle_report(); });
    open_report_->setCheckable(true);
    open_report_->setEnabled(false);
    return acts;
}

}  // namespace rivlen::app
