// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done, as a table: menus, keys, the list of keys, what tool tips say of keys, and tests are made
// from it (app/shell/menus).
#pragma once

#include <QKeySequence>
#include <QList>
#include <QString>
#include <functional>
#include <vector>

class QMenu;

namespace rivlen::app {

struct Action {
    // Its object name; a tool button of that name, or whose property "action" has it, does the same.
    QString name;
    QString words;
    QList<QKeySequence> keys{};
    std::function<void()> act{};
    std::function<bool()> allowed{};       // empty: always, in its view
    std::function<void(QMenu&)> fill{};    // a menu of its own in place of act, filled when it is opened
    std::function<QString()> now_words{};  // in place of words where they change ("Undo Cut")
    QString tip{};
};

struct ActionMenu {
    QString title;
    std::vector<std::vector<Action>> groups;  // a line between two of them
};

}  // namespace rivlen::app
