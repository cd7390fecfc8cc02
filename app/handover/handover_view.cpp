// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/handover_view.h"

#include <QCheckBox>
#include <QDesktopServices>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>
#include <array>

#include "app/handover/page_pdf.h"
#include "app/widgets/controls.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/report.h"

namespace rivlen::app {

HandoverView::HandoverView(Document& document, JobList& jobs, QWidget* parent)
    : QWidget(parent), document_(document), jobs_(jobs) {
    setObjectName("handover_view");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(4, 4, 4, 4);
    column->setSpacing(8);
    column->addWidget(build_head());
    const auto edit_row = [this](int row, const std::function<void(HandoverRow&)>& change,
                                 const QString& key) { edit(row, change, key); };
    rows_ = new DeliveryRowsView(edit_row, this);
    column->addWidget(rows_, 1);
    details_ = new RowDetails(edit_row, this);
    column->addWidget(details_);
    column->addWidget(build_acts());
    connect(rows_, &QTableWidget::currentCellChanged, this, &HandoverView::show_details);
    notes_ = new QPlainTextEdit(this);
    notes_->setObjectName("handover_notes");
    notes_->setAccessibleName(tr("What the check found"));
    notes_->setReadOnly(true);
    notes_->setFixedHeight(120);
    notes_->setPlaceholderText(tr("What the check finds, and what was delivered, stands here."));
    column->addWidget(notes_);
    connect(&document_, &Document::session_changed, this, &HandoverView::follow);
    fill();
    follow();
}

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
    line->addStretch(1);
    replace_ = new QCheckBox(tr("Replace files"), acts);
    replace_->setObjectName("handover_replace");
    replace_->setToolTip(tr("Files that are there already and were made from something else are replaced."));
    line->addWidget(replace_);
    button(tr("Check"), "handover_check", tr("Tells what is wrong before anything is written."),
           [this] { check_now(); });
    deliver_ =
        button(tr("Deliver"), "handover_deliver",
               tr("Writes all rows that are ticked, and reads every file back."), [this] { deliver_now(); });
    open_report_ = button(tr("Report"), "handover_report", tr("Opens the report of the last delivery."),
                          [this] { open_report(); });
    open_report_->setEnabled(false);
    return acts;
}

void HandoverView::follow() {
    const auto& path = document_.path();
    const SessionItem* item = document_.current_item();
    const std::filesystem::path known = !path.empty()     ? path
                                        : item != nullptr ? item->path
                                                          : std::filesystem::path();
    if (!name_typed_) name_->setText(text(known.stem().string()));
    if (!folder_typed_)
        folder_->setText(text(known.empty() ? "" : (known.parent_path() / "handover").string()));
    if (shown_ != table()) fill();  // undone, opened, recovered
    show_file_names();
}

void HandoverView::set_folder(const std::filesystem::path& folder) {
    folder_typed_ = true;
    folder_->setText(text(folder.string()));
}

void HandoverView::set_table(const HandoverTemplate& table) {
    edit_table(tr("Table of deliveries"), [&](HandoverTemplate& t) { t = table; });
}

int HandoverView::current() const {
    return rows_->currentRow();
}

void HandoverView::edit_table(const QString& label, const std::function<void(HandoverTemplate&)>& change,
                              const QString& key) {
    document_.edit(label, key, [&](Session& session) { change(session.deliveries); });
}

void HandoverView::edit(int row, const std::function<void(HandoverRow&)>& change, const QString& key) {
    if (row < 0 || row >= static_cast<int>(table().rows.size())) return;
    // The cells show it already; rebuilding them would take the control away that is being used.
    change(shown_.rows[static_cast<std::size_t>(row)]);
    edit_table(
        tr("Row %1 of the deliveries").arg(row + 1),
        [&](HandoverTemplate& t) { change(t.rows[static_cast<std::size_t>(row)]); },
        key.isEmpty() ? key : QString("delivery %1 %2").arg(key).arg(row));
    show_file_names();
    show_details();
}

void HandoverView::fill() {
    shown_ = table();
    table_name_->setText(table().name.empty() ? tr("Table without a name") : text(table().name));
    table_name_->setToolTip(text(table().note));
    rows_->fill(table());
    show_file_names();
    show_details();
}

void HandoverView::show_details() {
    const int row = current();
    const bool any = row >= 0 && row < static_cast<int>(table().rows.size());
    const HandoverRow* chosen = any ? &table().rows[static_cast<std::size_t>(row)] : nullptr;
    details_->show_row(row, chosen);
    if (any) rows_->allow_depth(row, has_depth(chosen->container, Depth::Pcm24));
}

void HandoverView::show_file_names() {
    const std::string ending = picture_ending(document_.session());
    QStringList names;
    for (const auto& row : table().rows) names << text(file_name(row, name_->text().toStdString(), ending));
    rows_->show_file_names(names);
}

void HandoverView::add_row() {
    edit_table(tr("Add a delivery"), [](HandoverTemplate& t) { t.rows.emplace_back(); });
    rows_->choose(rows_->rowCount() - 1);
}

void HandoverView::copy_row() {
    const int row = current();
    if (row < 0) return;
    edit_table(tr("Copy a delivery"), [&](HandoverTemplate& t) {
        t.rows.insert(t.rows.begin() + row + 1, HandoverRow(t.rows[static_cast<std::size_t>(row)]));
    });
    rows_->choose(row + 1);
}

void HandoverView::remove_row() {
    const int row = current();
    if (row < 0) return;
    edit_table(tr("Remove a delivery"), [&](HandoverTemplate& t) { t.rows.erase(t.rows.begin() + row); });
}

void HandoverView::move_row(int by) {
    const int row = current();
    const int to = row + by;
    if (row < 0 || to < 0 || to >= rows_->rowCount()) return;
    edit_table(tr("Move a delivery"), [&](HandoverTemplate& t) {
        std::swap(t.rows[static_cast<std::size_t>(row)], t.rows[static_cast<std::size_t>(to)]);
    });
    rows_->choose(to);
}

void HandoverView::take_standard_table() {
    set_table(standard_template());
}

void HandoverView::ask_open_table() {
    const auto file = ask_file(this, tr("A table of deliveries"), FileKind::Table);
    if (!file) return;
    const auto table = load_template(*file);
    if (!table) return emit said(text(table.error().message), true);
    set_table(*table);
}

void HandoverView::ask_keep_table() {
    const auto file = ask_new_file(this, tr("Keep the table"), FileKind::Table);
    if (!file) return;
    edit_table(tr("Name the table"), [&](HandoverTemplate& t) { t.name = file->stem().string(); });
    if (const Status status = save_template(table(), *file); !status)
        emit said(text(status.error().message), true);
}

DeliveryPlan HandoverView::plan() const {
    return {document_.session(),
            document_.mix_media(),
            table(),
            name_->text().trimmed().toStdString(),
            folder_->text().toStdString(),
            document_.work_folder(),
            replace_->isChecked(),
            2};
}

void HandoverView::show_issues(const std::vector<Issue>& issues) {
    QStringList lines;
    for (const auto& t : issues) {
        lines << (t.row >= 0 ? tr("Row %1: ").arg(t.row + 1) : QString()) + text(t.sentence);
        if (t.row >= 0)
            rows_->show_state(t.row, t.error ? tr("cannot") : tr("note"), text(t.sentence), t.error);
    }
    notes_->setPlainText(lines.isEmpty() ? tr("Nothing stands in the way.") : lines.join('\n'));
}

void HandoverView::check_now() {
    for (int row = 0; row < rows_->rowCount(); ++row) rows_->show_state(row, {}, {}, false);
    show_issues(check(plan()));
}

void HandoverView::deliver_now() {
    if (job_ != 0) return jobs_.cancel(job_);
    if (folder_->text().isEmpty() || name_->text().trimmed().isEmpty())
        return emit said(tr("Give the programme a name and choose a folder first."), true);
    check_now();
    auto work = std::make_shared<const DeliveryPlan>(plan());
    auto report = std::make_shared<DeliveryReport>();
    deliver_->setText(tr("Stop"));
    job_ = jobs_.start(
        tr("Delivering %1").arg(name_->text()),
        [this, work, report](const JobControl& job) -> Status {
            auto done = deliver(*work, job, [this](const DeliveryEvent& e) {
                QMetaObject::invokeMethod(this, [this, e] {
                    const std::array<QString, 5> kWords = {tr("working…"), tr("delivered"), tr("as before"),
                                                           tr("failed"), tr("stopped")};
                    rows_->show_state(e.row, kWords[static_cast<std::size_t>(e.step)], text(e.sentence),
                                      e.step == DeliveryStep::Failed);
                });
            });
            if (!done) return done.error();
            *report = std::move(*done);
            return job.cancelled() ? Status(JobControl::cancelled_error())
                                   : write_reports(*report, work->table, work->folder);
        },
        [this, report, work](const Status& status) {
            job_ = 0;
            deliver_->setText(tr("Deliver"));
            if (!status)
                return emit said(text(status.error().message), status.error().kind != ErrorKind::Cancelled);
            const Status pdf = page_to_pdf(report_page(report->name, work->folder),
                                           report_page(report->name, work->folder).replace_extension(".pdf"));
            if (!pdf) emit said(text(pdf.error().message), true);
            finish(*report);
        });
}

void HandoverView::finish(const DeliveryReport& report) {
    report_ = report;
    open_report_->setEnabled(true);
    QStringList lines;
    std::size_t done = 0;
    for (const auto& r : report.rows) {
        const bool there = r.state == RowState::Done || r.state == RowState::Skipped;
        if (!r.sentence.empty()) lines << tr("Row %1: %2").arg(r.row + 1).arg(text(r.sentence));
        if (!there || r.row >= rows_->rowCount()) continue;
        ++done;
        const auto& l = r.course.loudness;
        rows_->show_levels(r.row, level_text(l.integrated_lufs, "LUFS"),
                           l.true_peak_dbtp ? level_text(l.true_peak_dbtp, "dBTP") : QString());
    }
    lines.prepend(tr("%1 of %2 files delivered and read back, %3 x real time.")
                      .arg(done)
                      .arg(report.rows.size())
                      .arg(report.times_real_time, 0, 'f', 0));
    for (const auto& s : report.sums)
        lines << (!s.peak_dbfs
                      ? tr("The stems add up to their mix, bit for bit.")
                      : tr("The stems add up to their mix within %1 dBFS.").arg(*s.peak_dbfs, 0, 'f', 0));
    notes_->setPlainText(lines.join('\n'));
    emit said(lines.front(), !report.all_done());
}

void HandoverView::open_report() {
    if (!report_ || report_->rows.empty()) return;
    // Beside the files, wherever the next ones are to go.
    const auto file = report_page(report_->name, report_->rows.front().path.parent_path());
    QDesktopServices::openUrl(QUrl::fromLocalFile(text(file.string())));
}

}  // namespace rivlen::app
