// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/side_pages.h"

#include <QScrollArea>
#include <QVBoxLayout>

#include "app/widgets/controls.h"

namespace rivlen::app {

SidePages::SidePages(QWidget* parent)
    : QWidget(parent), choice_(new QHBoxLayout), pages_(new QStackedWidget(this)) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    choice_->setContentsMargins(8, 0, 8, 0);
    column->addLayout(choice_);
    column->addWidget(pages_, 1);
}

void SidePages::add(QWidget* page, const QString& label, const QString& name, const QString& tip,
                    bool scrolls) {
    const int number = pages_->count();
    if (scrolls) {
        auto* scroll = new QScrollArea(this);
        scroll->setWidgetResizable(true);
        scroll->setFrameShape(QFrame::NoFrame);
        scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
        scroll->setWidget(page);
        pages_->addWidget(scroll);
    } else {
        pages_->addWidget(page);
    }
    auto* button = make_button(label, name, tip, this);
    button->setCheckable(true);
    button->setProperty("compact", true);
    button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    choice_->addWidget(button);
    buttons_.push_back(button);
    connect(button, &QToolButton::clicked, this, [this, number] { show_page(number); });
}

void SidePages::show_page(int page) {
    pages_->setCurrentIndex(page);
    for (std::size_t i = 0; i < buttons_.size(); ++i) buttons_[i]->setChecked(static_cast<int>(i) == page);
    emit page_changed(page);
}

void SidePages::reveal(QWidget* widget) {
    for (QWidget* at = widget; at != nullptr; at = at->parentWidget()) {
        auto* side = qobject_cast<SidePages*>(at);
        for (int i = 0; side != nullptr && i < side->pages_->count(); ++i) {
            if (side->pages_->widget(i)->isAncestorOf(widget)) side->show_page(i);
        }
    }
}

void SidePages::set_label(int page, const QString& label) {
    buttons_[static_cast<std::size_t>(page)]->setText(label);
}

}  // namespace rivlen::app
