// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/section.h"
#include "app/widgets/text.h"

#include <QLabel>

namespace rivlen::app {

namespace {

constexpr int kNumberWidth = 94;
constexpr int kPartLabelWidth = 72;

}  // namespace

Section::Section(Document& document, QWidget* parent)
    : QWidget(parent), document_(document), column_(new QVBoxLayout(this)) {
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(4);
}

void Section::refresh() {
    for (const auto& show : refresh_) show();
}

void Section::add_column(int width) {
    if (columns_ == nullptr) {
        columns_ = new QHBoxLayout;
        columns_->setSpacing(10);
        column_->addLayout(columns_);
    }
    auto* holder = new QWidget(this);
    holder->setFixedWidth(width);
    column_ = new QVBoxLayout(holder);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(4);
    columns_->addWidget(holder);
}

void Section::add_heading(const QString& text) {
    auto* label = new QLabel(text, this);
    QFont font = label->font();
    font.setBold(true);
    label->setFont(font);
    label->setContentsMargins(0, 6, 0, 0);
    column_->addWidget(label);
}

QHBoxLayout* Section::add_row(std::initializer_list<QWidget*> widgets) {
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    for (QWidget* w : widgets) row->addWidget(w);
    row->addStretch(1);
    column_->addLayout(row);
    return row;
}

ParameterSlider* Section::add_slider(const ParameterInfo& info, const QString& name,
                                     const std::function<double()>& value,
                                     const std::function<void(double)>& set) {
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    auto* label = new QLabel(words(info.label), this);
    label->setFixedWidth(kPartLabelWidth);
    label->setToolTip(QString("%1\n%2").arg(words(info.sentence), words(info.too_much)));
    auto* slider = new ParameterSlider(info, this);
    slider->setObjectName(name);
    slider->set_number_width(kNumberWidth);
    slider->setAccessibleName(words(info.label));
    slider->setToolTip(label->toolTip());
    line->addWidget(label);
    line->addWidget(slider, 1);
    column_->addLayout(line);
    connect(slider, &ParameterSlider::moved, this, set);
    connect(slider, &ParameterSlider::released, this, [this] { document_.close_step(); });
    on_refresh([slider, value] { slider->set_value(value()); });
    return slider;
}

}  // namespace rivlen::app
