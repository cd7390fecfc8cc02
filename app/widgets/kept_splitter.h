// SPDX-License-Identifier: GPL-3.0-or-later
// A splitter whose sizes are kept from one start of the program to the next.
#pragma once

#include <QSplitter>

namespace rivlen::app {

class KeptSplitter : public QSplitter {
    Q_OBJECT
  public:
    // name: under which the sizes are kept.
    KeptSplitter(Qt::Orientation orientation, const QString& name, QWidget* parent = nullptr);
    // After all of its widgets have been added: the sizes that were kept, or these.
    void restore(const QList<int>& otherwise);

  private:
    void keep() const;
    QString key_;
};

}  // namespace rivlen::app
