// SPDX-License-Identifier: GPL-3.0-or-later
// The menu bar from tables of actions. What belongs to a view that is not shown has no menu and no keys.
#pragma once

#include <QAction>
#include <QMenuBar>
#include <QString>
#include <optional>
#include <utility>
#include <vector>

#include "app/widgets/actions.h"

namespace rivlen::app {

enum class View { Separate, Rebuild, Handover };
inline constexpr std::size_t kViews = 3;

class Menus {
  public:
    explicit Menus(QMenuBar& bar) : bar_(bar) {}
    // view: where it belongs; none: everywhere.
    void add(const ActionMenu& menu, std::optional<View> view = {});
    void show_view(View view);
    // Which actions are allowed has changed.
    void refresh();
    // Tool tips of the buttons below `root` name the keys that do the same.
    void name_keys(QWidget& root) const;

    // Words and keys of what has keys in a view, in the order of the menus.
    [[nodiscard]] std::vector<std::pair<QString, QString>> keys_in(View view) const;

  private:
    struct Entry {
        Action action;
        QAction* shown = nullptr;
        std::optional<View> view;
    };
    struct Title {
        QMenu* menu = nullptr;
        View view;
    };
    void add_action(QMenu& menu, const Action& action, std::optional<View> view);
    QMenuBar& bar_;
    std::vector<Entry> entries_;
    std::vector<Title> titles_;
    View view_ = View::Separate;
};

}  // namespace rivlen::app
