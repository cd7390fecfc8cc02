// SPDX-License-Identifier: GPL-3.0-or-later
// Pages beside what is worked on, one of which is shown, and the buttons that choose it.
#pragma once

#include <QHBoxLayout>
#include <QStackedWidget>
#include <QToolButton>
#include <QWidget>
#include <vector>

namespace rivlen::app {

class SidePages : public QWidget {
    Q_OBJECT
  public:
    explicit SidePages(QWidget* parent = nullptr);
    // In the order of the buttons. name: object name of the button. A page scrolls where there is little
    // height for it.
    void add(QWidget* page, const QString& label, const QString& name, const QString& tip, bool scrolls);
    void show_page(int page);
    void set_label(int page, const QString& label);
    [[nodiscard]] int page() const { return pages_->currentIndex(); }
    // Shows the pages on which a widget lies.
    static void reveal(QWidget* widget);

  signals:
    void page_changed(int page);

  private:
    QHBoxLayout* choice_;
    QStackedWidget* pages_;
    std::vector<QToolButton*> buttons_;
};

}  // namespace rivlen::app
