// Controls as they are made everywhere: named for tests, explained in a sentence, reachable by the Tab key.
#pragma once

#include <QString>
#include <QToolButton>

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

}  // namespace rivlen::app
