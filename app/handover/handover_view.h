// SPDX-License-Identifier: GPL-3.0-or-later
// The third view: what is delivered, as a table; checked, carried out, reported.
#pragma once

#include <QWidget>
#include <optional>

#include "app/handover/row_details.h"
#include "app/shell/document.h"
#include "app/widgets/actions.h"
#include "core/delivery/deliver.h"
#include "core/workflow/many_recordings.h"

class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QToolButton;
class QCheckBox;

namespace rivlen::app {

class ReportPane;

class HandoverView : public QWidget {
    Q_OBJECT
  public:
    HandoverView(Document& document, JobList& jobs, QWidget* parent = nullptr);

    // Menus of what can be done here, with keys.
    [[nodiscard]] std::vector<ActionMenu> menus();
    void add_row();
    void copy_row();
    void remove_row();
    void move_row(int by);
    void check_now();
    void deliver_now();
    void ask_open_table();
    void ask_keep_table();
    void take_standard_table();
    // Beside the table, and in the program that shows pages of this machine.
    void toggle_report();
    void open_report();
    void add_stems();
    // Many recordings by this table, each into a folder of its own.
    void ask_recordings();
    void deliver_recordings(std::vector<std::filesystem::path> files);
    // The session's table.
    [[nodiscard]] const HandoverTemplate& table() const { return document_.session().deliveries; }
    void set_table(const HandoverTemplate& table);
    void set_folder(const std::filesystem::path& folder);
    // Of the last delivery; nothing before the first.
    [[nodiscard]] const std::optional<DeliveryReport>& report() const { return report_; }

  signals:
    void said(const QString& sentence, bool trouble);

  private:
    QWidget* build_head();
    QWidget* build_acts();
    void show_details();
    void follow();
    void fill();
    // One step of the session's history; with a key, steps that follow each other are one.
    void edit(int row, const std::function<void(HandoverRow&)>& change, const QString& key = {});
    void edit_table(const QString& label, const std::function<void(HandoverTemplate&)>& change,
                    const QString& key = {});
    void show_file_names();
    void show_size();
    void show_report();
    void show_outcome(const RecordingOutcome& outcome);
    void show_issues(const std::vector<Issue>& issues);
    void finish(const DeliveryReport& report);
    [[nodiscard]] DeliveryPlan plan() const;
    [[nodiscard]] int current() const;
    Document& document_;
    JobList& jobs_;
    HandoverTemplate shown_;  // what the cells show
    std::optional<DeliveryReport> report_;
    DeliveryRowsView* rows_ = nullptr;
    RowDetails* details_ = nullptr;
    QLineEdit *name_ = nullptr, *folder_ = nullptr;
    QCheckBox *replace_ = nullptr, *exchange_ = nullptr, *umid_ = nullptr;
    ReportPane* pane_ = nullptr;
    QToolButton *deliver_ = nullptr, *open_report_ = nullptr;
    QLabel *table_name_ = nullptr, *size_ = nullptr;
    QPlainTextEdit* notes_ = nullptr;
    int job_ = 0;
    bool name_typed_ = false, folder_typed_ = false;
};

}  // namespace rivlen::app
