// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/handover_view.h"

#include <QCheckBox>
#include <QDesktopServices>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPlainTextEdit>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>
#include <algorithm>
#include <array>

#include "app/handover/delivery_rows_view.h"
#include "app/handover/page_pdf.h"
#include "app/handover/report_pane.h"
#include "app/shell/chosen_head.h"
#include "app/widgets/controls.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/kept_splitter.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/exchange.h"
#include "core/delivery/report.h"
#include "core/media/layback.h"

namespace rivlen::app {

namespace {

QString sum_words(const SumProof& sum) {
    const QString parts = sum.against == SumAgainst::MixWithLimiterFile
                              ? HandoverView::tr("The stems and what limiter and buses did")
                              : HandoverView::tr("The stems");
    const QString whole = sum.against == SumAgainst::BeforeLimiter
                              ? HandoverView::tr("their mix before its limiter")
                              : HandoverView::tr("their mix");
    if (!sum.peak_dbfs) return HandoverView::tr("%1 add up to %2, bit for bit.").arg(parts, whole);
    return HandoverView::tr("%1 add up to %2 within %3 dBFS.")
        .arg(parts, whole)
        .arg(*sum.peak_dbfs, 0, 'f', 0);
}

}  // namespace

HandoverView::HandoverView(Document& document, JobList& jobs, QWidget* parent)
    : QWidget(parent), document_(document), jobs_(jobs) {
    setObjectName("handover_view");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(4, 4, 4, 4);
    column->setSpacing(8);
    column->addWidget(build_head());
    const auto edit_row = [this](int row, const std::function<void(HandoverRow&)>& change,
                                 const QString& key) { edit(row, change, key); };
    auto* beside = new KeptSplitter(Qt::Horizontal, "handover_report", this);
    rows_ = new DeliveryRowsView(edit_row, beside);
    beside->addWidget(rows_);
    pane_ = new ReportPane(beside);
    pane_->hide();
    beside->addWidget(pane_);
    constexpr int kTableWidth = 760, kPaneWidth = 460;
    beside->restore({kTableWidth, kPaneWidth});
    column->addWidget(beside, 1);
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
    rows_->follow(row, shown_);
    show_file_names();
    show_details();
}

void HandoverView::fill() {
    shown_ = table();
    table_name_->setText(table().name.empty() ? tr("Table without a name") : text(table().name));
    table_name_->setToolTip(text(table().note));
    rows_->fill(table());
    exchange_->setChecked(table().exchange);
    umid_->setChecked(table().umid);
    show_file_names();
    show_details();
}

void HandoverView::show_details() {
    const int row = current();
    const bool any = row >= 0 && row < static_cast<int>(table().rows.size());
    const HandoverRow* chosen = any ? &table().rows[static_cast<std::size_t>(row)] : nullptr;
    details_->show_row(row, chosen);
}

void HandoverView::show_file_names() {
    const std::string ending = picture_ending(document_.session());
    rows_->set_picture_codes(layback_codes_with_loss(ending));
    QStringList names;
    for (const auto& row : table().rows) names << text(file_name(row, name_->text().toStdString(), ending));
    rows_->show_file_names(names);
    show_size();
}

// Gigabytes of a thousand million bytes, as disks are sold.
void HandoverView::show_size() {
    const DeliverySize size = size_of(plan());
    const auto words_of = [](double bytes) {
        return bytes < 1e9 ? tr("%1 MB").arg(bytes / 1e6, 0, 'f', 0)
                           : tr("%1 GB").arg(bytes / 1e9, 0, 'f', 1);
    };
    const bool short_of = size.free_bytes && *size.free_bytes < size.bytes;
    size_->setText(size.free_bytes
                       ? tr("about %1, %2 free").arg(words_of(size.bytes), words_of(*size.free_bytes))
                       : tr("about %1").arg(words_of(size.bytes)));
    QPalette palette = size_->palette();
    palette.setColor(QPalette::WindowText, short_of ? colour::kWarn : colour::kDim);
    size_->setPalette(palette);
}

void HandoverView::add_stems() {
    const int row = current();
    if (row < 0) return;
    edit_table(tr("Add the stems of a delivery"), [&](HandoverTemplate& t) {
        const HandoverRow& mix = t.rows[static_cast<std::size_t>(row)];
        auto stems = stem_rows_of(mix);
        t.rows.insert(t.rows.begin() + row + 1, stems.begin(), stems.end());
    });
    rows_->choose(row);
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
            2,
            chosen_head()};
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
            if (job.cancelled()) return JobControl::cancelled_error();
            return write_papers(*work, *report, job);
        },
        [this, report, work](const Status& status) {
            job_ = 0;
            deliver_->setText(tr("Deliver"));
            if (!status)
                return emit said(text(status.error().message), status.error().kind != ErrorKind::Cancelled);
            const Status pdf = page_to_pdf(report_page(report->name, work->folder),
                                           report_page(report->name, work->folder).replace_extension(".pdf"),
                                           paper_of_this_place());
            if (!pdf) emit said(text(pdf.error().message), true);
            finish(*report);
        });
}

void HandoverView::ask_recordings() {
    auto files = ask_files(this, tr("Recordings to deliver by this table"), FileKind::Recording);
    if (!files.empty()) deliver_recordings(std::move(files));
}

void HandoverView::deliver_recordings(std::vector<std::filesystem::path> files) {
    if (job_ != 0) return emit said(tr("A delivery is under way. Stop it, or wait for it."), true);
    if (folder_->text().isEmpty()) return emit said(tr("Choose a folder first."), true);
    auto work = std::make_shared<ManyRecordings>();
    work->head = chosen_head();
    work->files = std::move(files);
    work->table = table();
    work->folder = folder_->text().toStdString();
    work->split.work_folder = document_.work_folder();
    work->replace = replace_->isChecked();
    deliver_->setText(tr("Stop"));
    notes_->clear();
    job_ = jobs_.start(
        tr("Delivering %n recording(s)", nullptr, static_cast<int>(work->files.size())),
        [this, work](const JobControl& job) {
            return rivlen::deliver_recordings(*work, job, [this](const RecordingOutcome& outcome) {
                QMetaObject::invokeMethod(this, [this, outcome] { show_outcome(outcome); });
            });
        },
        [this, work](const Status& status) {
            job_ = 0;
            deliver_->setText(tr("Deliver"));
            if (!status)
                return emit said(text(status.error().message), status.error().kind != ErrorKind::Cancelled);
            emit said(
                tr("The recordings lie in \"%1\", each in its own folder.").arg(text(work->folder.string())),
                false);
        });
}

void HandoverView::show_outcome(const RecordingOutcome& outcome) {
    QString line = text(outcome.name) + ": ";
    if (outcome.report) {
        const auto done = std::ranges::count_if(outcome.report->rows, [](const DeliveredRow& r) {
            return r.state == RowState::Done || r.state == RowState::Skipped;
        });
        line += tr("%1 of %2 files delivered.").arg(done).arg(outcome.report->rows.size());
    }
    if (!outcome.sentence.empty()) line += " " + text(outcome.sentence);
    notes_->appendPlainText(line);
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
        rows_->show_levels(r.row, table(), &r);
    }
    const QString delivered = tr("%1 of %2 files delivered and read back").arg(done).arg(report.rows.size());
    lines.prepend(report.times_real_time > 0
                      ? tr("%1, %2 x real time.").arg(delivered).arg(report.times_real_time, 0, 'f', 0)
                      : tr("%1; they were there as before.").arg(delivered));
    for (const auto& s : report.sums) lines << sum_words(s);
    notes_->setPlainText(lines.join('\n'));
    if (pane_->isVisible()) show_report();
    emit said(lines.front(), !report.all_done());
}

void HandoverView::toggle_report() {
    if (!report_ || report_->rows.empty()) return;
    pane_->setVisible(!pane_->isVisible());
    open_report_->setChecked(pane_->isVisible());
    constexpr int kRoomForBoth = 1700;
    rows_->show_results_only(pane_->isVisible() && width() < kRoomForBoth);
    if (pane_->isVisible()) show_report();
}

// Beside the files, wherever the next ones are to go.
void HandoverView::show_report() {
    pane_->show_page(report_page(report_->name, report_->rows.front().path.parent_path()));
}

void HandoverView::open_report() {
    if (!report_ || report_->rows.empty()) return;
    const auto file = report_page(report_->name, report_->rows.front().path.parent_path());
    QDesktopServices::openUrl(QUrl::fromLocalFile(text(file.string())));
}

}  // namespace rivlen::app
