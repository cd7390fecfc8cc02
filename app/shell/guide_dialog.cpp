// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/guide_dialog.h"

#include <QFile>
#include <QHBoxLayout>
#include <QTextBlock>
#include <QVBoxLayout>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr int kListWidth = 240, kPictureWidth = 560;

// Pictures as wide as the page, without another copy of them.
void narrow_pictures(QTextDocument& document) {
    for (QTextBlock block = document.begin(); block.isValid(); block = block.next()) {
        for (auto at = block.begin(); !at.atEnd(); ++at) {
            QTextImageFormat picture = at.fragment().charFormat().toImageFormat();
            if (!picture.isValid()) continue;
            picture.setWidth(kPictureWidth);
            QTextCursor cursor(&document);
            cursor.setPosition(at.fragment().position());
            cursor.setPosition(at.fragment().position() + at.fragment().length(), QTextCursor::KeepAnchor);
            cursor.setCharFormat(picture);
        }
    }
}

}  // namespace

GuideDialog::GuideDialog(QWidget* parent)
    : QDialog(parent),
      search_(new QLineEdit(this)),
      list_(new QListWidget(this)),
      page_(new QTextBrowser(this)) {
    setWindowTitle(tr("Guide"));
    setObjectName("guide");
    resize(900, 640);
    search_->setObjectName("guide_search");
    search_->setPlaceholderText(tr("Search"));
    search_->setAccessibleName(tr("Search the guide"));
    search_->setClearButtonEnabled(true);
    list_->setObjectName("guide_parts");
    list_->setAccessibleName(tr("Sections of the guide"));
    list_->setFixedWidth(kListWidth);
    page_->setObjectName("guide_page");
    page_->setAccessibleName(tr("Guide"));
    page_->setSearchPaths({":/guide"});
    page_->setOpenExternalLinks(true);
    QFile file(":/guide/guide.md");
    if (file.open(QIODevice::ReadOnly)) page_->setMarkdown(QString::fromUtf8(file.readAll()));
    narrow_pictures(*page_->document());
    auto* side = new QVBoxLayout;
    side->addWidget(search_);
    side->addWidget(list_, 1);
    auto* row = new QHBoxLayout(this);
    row->addLayout(side);
    row->addWidget(page_, 1);
    read_parts();
    list_parts();
    connect(search_, &QLineEdit::textChanged, this, &GuideDialog::list_parts);
    connect(list_, &QListWidget::currentRowChanged, this, &GuideDialog::show_part);
    search_->setFocus();
}

void GuideDialog::read_parts() {
    for (QTextBlock block = page_->document()->begin(); block.isValid(); block = block.next()) {
        if (block.blockFormat().headingLevel() > 0) parts_.push_back({block.text(), {}, block.position()});
        if (!parts_.empty()) parts_.back().words += block.text() + ' ';
    }
}

// Those that hold all words that are searched for.
void GuideDialog::list_parts() {
    const QStringList wanted = search_->text().split(' ', Qt::SkipEmptyParts);
    list_->clear();
    listed_.clear();
    for (std::size_t i = 0; i < parts_.size(); ++i) {
        const bool all = std::ranges::all_of(
            wanted, [&](const QString& word) { return parts_[i].words.contains(word, Qt::CaseInsensitive); });
        if (!all) continue;
        list_->addItem(parts_[i].heading);
        listed_.push_back(i);
    }
    mark_found();
    if (!wanted.isEmpty() && !listed_.empty()) list_->setCurrentRow(0);
}

void GuideDialog::show_part(int row) {
    if (row < 0 || static_cast<std::size_t>(row) >= listed_.size()) return;
    QTextCursor cursor(page_->document());
    cursor.movePosition(QTextCursor::End);  // so that the section comes to the top
    page_->setTextCursor(cursor);
    cursor.setPosition(parts_[listed_[static_cast<std::size_t>(row)]].position);
    page_->setTextCursor(cursor);
}

void GuideDialog::mark_found() {
    QList<QTextEdit::ExtraSelection> found;
    for (const QString& word : search_->text().split(' ', Qt::SkipEmptyParts)) {
        for (QTextCursor at = page_->document()->find(word); !at.isNull();
             at = page_->document()->find(word, at)) {
            QTextEdit::ExtraSelection selection;
            selection.cursor = at;
            selection.format.setBackground(colour::kAct);
            selection.format.setForeground(colour::kGround);
            found << selection;
        }
    }
    page_->setExtraSelections(found);
}

}  // namespace rivlen::app
