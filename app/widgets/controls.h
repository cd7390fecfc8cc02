// SPDX-License-Identifier: GPL-3.0-or-later
// Controls as they are made everywhere: named for tests, explained in a sentence, reachable by the Tab key.
#pragma once

#include <QKeyEvent>
#include <QLabel>
#include <QString>
#include <QToolButton>
#include <algorithm>
#include <initializer_list>

#include "app/widgets/theme.h"

namespace rivlen::app {

inline QToolButton* make_button(const QString& label, const QString& name, const QString& sentence,
                                QWidget* parent) {
    auto* b = new QToolButton(parent);
    b->setText(label);
    b->setObjectName(name);
    b->setAccessibleName(label);
    b->setToolTip(sentence);
    b->setFocusPolicy(Qt::TabFocus);
    return b;
}

// For what is only explained.
inline void dim(QWidget* widget) {
    QPalette palette = widget->palette();
    palette.setColor(QPalette::WindowText, colour::kDim);
    widget->setPalette(palette);
}

inline QLabel* make_note(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setWordWrap(true);
    dim(label);
    return label;
}

// In a widget's event(): these keys are the widget's own while it has the focus, not shortcuts of the window.
// True when the event was one of them being asked for.
[[nodiscard]] inline bool claims_key(QEvent* event, std::initializer_list<int> keys) {
    if (event->type() != QEvent::ShortcutOverride) return false;
    const int key = static_cast<QKeyEvent*>(event)->key();
    if (std::find(keys.begin(), keys.end(), key) == keys.end()) return false;
    event->accept();
    return true;
}

// A window that is open already comes to the front instead of opening once more. False when there is none of
// this object name.
[[nodiscard]] inline bool bring_to_front(const QWidget& parent, const QString& name) {
    auto* window = parent.findChild<QWidget*>(name);
    if (window == nullptr || !window->isVisible()) return false;
    window->raise();
    window->activateWindow();
    return true;
}

}  // namespace rivlen::app
