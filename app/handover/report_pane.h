// SPDX-License-Identifier: GPL-3.0-or-later
// The report of the last delivery, beside the table.
#pragma once

#include <QTextBrowser>
#include <filesystem>

namespace rivlen::app {

class ReportPane : public QTextBrowser {
    Q_OBJECT
  public:
    explicit ReportPane(QWidget* parent = nullptr);
    // A sentence takes its place where the page cannot be read.
    void show_page(const std::filesystem::path& page);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    QString html_;
    int drawn_width_ = 0;
};

}  // namespace rivlen::app
