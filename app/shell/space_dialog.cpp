// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/space_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>
#include <array>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

enum SpaceColumn { kRecordingColumn, kSizeColumn, kUnusedColumn, kStateColumn, kSpaceColumns };

QString megabytes(std::uint64_t bytes) {
    return SpaceDialog::tr("%1 MB").arg(static_cast<double>(bytes) / 1e6, 0, 'f', 1);
}

QString days(std::chrono::hours hours) {
    const auto whole = hours.count() / 24;
    return whole == 0 ? SpaceDialog::tr("today") : SpaceDialog::tr("%1 days").arg(whole);
}

}  // namespace

SpaceDialog::SpaceDialog(Document& document, QWidget* parent)
    : QDialog(parent),
      document_(document),
      table_(new QTableWidget(0, kSpaceColumns, this)),
      total_(new QLabel(this)) {
    setAttribute(Qt::WA_DeleteOnClose);
    setObjectName("space");
    setWindowTitle(tr("Space"));
    resize(760, 420);
    auto* column = new QVBoxLayout(this);
    column->addWidget(
        make_note(tr("Working copies and mask maps are made again when a recording is brought in and split "
                     "again. Recordings, sessions, takes and deliveries are not touched."),
                  this));
    table_->setObjectName("space_rows");
    table_->setAccessibleName(tr("What is kept of recordings"));
    table_->setHorizontalHeaderLabels({tr("Recording"), tr("Size"), tr("Unused for"), QString()});
    table_->verticalHeader()->setVisible(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setShowGrid(false);
    table_->horizontalHeader()->setSectionResizeMode(kRecordingColumn, QHeaderView::Stretch);
    table_->setColumnWidth(kStateColumn, 150);
    column->addWidget(table_, 1);
    auto* line = new QHBoxLayout;
    total_->setObjectName("space_total");
    remove_ = make_button(tr("Remove chosen"), "space_remove",
                          tr("Removes what is kept of the chosen recordings."), this);
    auto* close = make_button(tr("Close"), "space_close", tr("Closes this list."), this);
    line->addWidget(total_, 1);
    line->addWidget(remove_);
    line->addWidget(close);
    column->addLayout(line);
    connect(remove_, &QToolButton::clicked, this, &SpaceDialog::remove_chosen);
    connect(close, &QToolButton::clicked, this, &QDialog::close);
    connect(table_, &QTableWidget::itemSelectionChanged, this,
            [this] { remove_->setEnabled(!table_->selectedItems().isEmpty()); });
    fill();
}

bool SpaceDialog::in_session(const KeptRecording& kept) const {
    return document_.material_of(kept.original) != nullptr;
}

void SpaceDialog::fill() {
    kept_ = kept_in(document_.work_folder());
    table_->setRowCount(0);
    std::uint64_t all = 0;
    for (const auto& kept : kept_) {
        all += kept.bytes;
        add_row(kept);
    }
    total_->setText(tr("%1 in \"%2\"").arg(megabytes(all), text(document_.work_folder())));
    remove_->setEnabled(false);
}

void SpaceDialog::add_row(const KeptRecording& kept) {
    const int row = table_->rowCount();
    table_->insertRow(row);
    const bool used = in_session(kept);
    const QString name = kept.original.empty() ? tr("not known any more") : text(kept.original.filename());
    const QString state = used ? tr("open now") : kept.original_there ? QString() : tr("recording is gone");
    const std::array<QString, kSpaceColumns> cells = {name, megabytes(kept.bytes), days(kept.unused), state};
    for (int c = 0; c < kSpaceColumns; ++c) {
        auto* item = new QTableWidgetItem(cells[static_cast<std::size_t>(c)]);
        if (used) item->setFlags(Qt::ItemIsEnabled);  // cannot be chosen
        if (c == kRecordingColumn) item->setToolTip(text(kept.original));
        if (c == kSizeColumn) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        table_->setItem(row, c, item);
    }
}

void SpaceDialog::remove_chosen() {
    std::uint64_t freed = 0;
    for (const auto& index : table_->selectionModel()->selectedRows()) {
        const auto& kept = kept_[static_cast<std::size_t>(index.row())];
        if (in_session(kept)) continue;
        const auto removed = remove_kept(kept, {});
        if (!removed) {
            total_->setText(text(removed.error().message));
            return;
        }
        freed += *removed;
    }
    fill();
    total_->setText(tr("%1 are free now.").arg(megabytes(freed)) + "  " + total_->text());
}

}  // namespace rivlen::app
