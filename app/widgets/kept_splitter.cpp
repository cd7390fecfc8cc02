// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/kept_splitter.h"

#include <QSettings>

namespace rivlen::app {

KeptSplitter::KeptSplitter(Qt::Orientation orientation, const QString& name, QWidget* parent)
    : QSplitter(orientation, parent), key_("sizes/" + name) {
    setObjectName(name);
    setChildrenCollapsible(false);
    setHandleWidth(6);
    connect(this, &QSplitter::splitterMoved, this, [this] { keep(); });
}

void KeptSplitter::restore(const QList<int>& otherwise) {
    QList<int> sizes;
    const QVariantList kept = QSettings().value(key_).toList();
    for (const QVariant& size : kept) sizes.push_back(size.toInt());
    setSizes(sizes.size() == count() ? sizes : otherwise);
}

void KeptSplitter::keep() const {
    QVariantList kept;
    for (const int size : sizes()) kept.push_back(size);
    QSettings().setValue(key_, kept);
}

}  // namespace rivlen::app
