// SPDX-License-Identifier: GPL-3.0-or-later
// What the sections of the rebuild's side are made of: rows of sliders and buttons that show what the session
// says.
#pragma once

#include <QHBoxLayout>
#include <QVBoxLayout>
#include <QWidget>
#include <functional>
#include <initializer_list>
#include <vector>

#include "app/shell/document.h"
#include "app/widgets/parameter_slider.h"

namespace rivlen::app {

class Section : public QWidget {
    Q_OBJECT
  public:
    Section(Document& document, QWidget* parent);
    // Shows what the session says now.
    void refresh();

  signals:
    void said(const QString& sentence, bool trouble);

  protected:
    [[nodiscard]] QVBoxLayout& column() const { return *column_; }
    // What is added from now on goes into a further column beside the last one, so wide.
    void add_column(int width);
    void add_heading(const QString& text);
    QHBoxLayout* add_row(std::initializer_list<QWidget*> widgets);
    ParameterSlider* add_slider(const ParameterInfo& info, const QString& name,
                                const std::function<double()>& value, const std::function<void(double)>& set);
    void on_refresh(std::function<void()> show) { refresh_.push_back(std::move(show)); }

    Document& document_;

  private:
    QVBoxLayout* column_;
    QHBoxLayout* columns_ = nullptr;  // once there are several
    std::vector<std::function<void()>> refresh_;
};

}  // namespace rivlen::app
