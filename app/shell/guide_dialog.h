// SPDX-License-Identifier: GPL-3.0-or-later
// The guide (docs/guide.md) in a window of its own, with its sections and a search over them.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <QListWidget>
#include <QTextBrowser>
#include <vector>

namespace rivlen::app {

class GuideDialog : public QDialog {
    Q_OBJECT
  public:
    explicit GuideDialog(QWidget* parent = nullptr);

  private:
    struct Part {
        QString heading, words;  // words: of the heading, too
        int position = 0;        // in the document
    };
    void read_parts();
    void list_parts();
    void show_part(int row);
    void mark_found();
    QLineEdit* search_;
    QListWidget* list_;
    QTextBrowser* page_;
    std::vector<Part> parts_;
    std::vector<std::size_t> listed_;  // of parts_, row by row
};

}  // namespace rivlen::app
