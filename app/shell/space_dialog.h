// SPDX-License-Identifier: GPL-3.0-or-later
// What takes space in the work folder, and taking it away.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QTableWidget>
#include <QToolButton>
#include <vector>

#include "app/shell/document.h"
#include "core/workflow/space.h"

namespace rivlen::app {

class SpaceDialog : public QDialog {
    Q_OBJECT
  public:
    explicit SpaceDialog(Document& document, QWidget* parent = nullptr);

  private:
    void fill();
    void add_row(const KeptRecording& kept);
    void remove_chosen();
    [[nodiscard]] bool in_session(const KeptRecording& kept) const;
    Document& document_;
    std::vector<KeptRecording> kept_;
    QTableWidget* table_;
    QLabel* total_;
    QToolButton* remove_;
};

}  // namespace rivlen::app
