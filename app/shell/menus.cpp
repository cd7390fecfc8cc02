// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/menus.h"

#include <QMenu>
#include <QToolButton>

namespace rivlen::app {

namespace {

QString keys_of(const Action& action) {
    QStringList names;
    for (const auto& key : action.keys) names << key.toString(QKeySequence::NativeText);
    return names.join(QObject::tr(" or "));
}

}  // namespace

void Menus::add(const ActionMenu& table, std::optional<View> view) {
    QMenu* menu = bar_.addMenu(table.title);
    menu->setToolTipsVisible(true);
    if (view) titles_.push_back({menu, *view});
    for (const auto& group : table.groups) {
        if (!menu->isEmpty()) menu->addSeparator();
        for (const auto& action : group) add_action(*menu, action, view);
    }
}

void Menus::add_action(QMenu& menu, const Action& action, std::optional<View> view) {
    Entry entry{action, nullptr, view};
    if (action.fill) {
        QMenu* own = menu.addMenu(action.words);
        own->setObjectName(action.name);
        own->setToolTipsVisible(true);
        QObject::connect(own, &QMenu::aboutToShow, own, [own, fill = action.fill] {
            own->clear();
            fill(*own);
        });
        entry.shown = own->menuAction();
    } else {
        entry.shown = menu.addAction(action.words);
        entry.shown->setObjectName(action.name);
        entry.shown->setShortcuts(action.keys);
        if (!action.tip.isEmpty()) entry.shown->setToolTip(action.tip);
        QObject::connect(entry.shown, &QAction::triggered, &bar_, [act = action.act] { act(); });
    }
    entries_.push_back(std::move(entry));
}

void Menus::show_view(View view) {
    view_ = view;
    for (const auto& title : titles_) title.menu->menuAction()->setVisible(title.view == view);
    refresh();
}

void Menus::refresh() {
    for (const auto& entry : entries_) {
        const bool here = !entry.view || *entry.view == view_;
        entry.shown->setEnabled(here && (!entry.action.allowed || entry.action.allowed()));
        if (entry.action.now_words) entry.shown->setText(entry.action.now_words());
    }
}

void Menus::name_keys(QWidget& root) const {
    for (auto* button : root.findChildren<QToolButton*>()) {
        const QString own = button->property("action").toString();
        const QString name = own.isEmpty() ? button->objectName() : own;
        for (const auto& entry : entries_) {
            if (entry.action.name != name || entry.action.keys.isEmpty()) continue;
            const QString tip = button->toolTip();
            if (!tip.endsWith(')')) button->setToolTip(QString("%1 (%2)").arg(tip, keys_of(entry.action)));
        }
    }
}

std::vector<std::pair<QString, QString>> Menus::keys_in(View view) const {
    std::vector<std::pair<QString, QString>> found;
    for (const auto& entry : entries_) {
        if (entry.action.keys.isEmpty() || (entry.view && *entry.view != view)) continue;
        found.emplace_back(QString(entry.action.words).remove(QChar(0x2026)), keys_of(entry.action));
    }
    return found;
}

}  // namespace rivlen::app
