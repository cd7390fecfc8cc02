// SPDX-License-Identifier: GPL-3.0-or-later
// A label of one line that ends with dots where there is too little room for all of it; the tool tip has it
// all.
#pragma once

#include <QLabel>
#include <QPainter>

namespace rivlen::app {

class ElidedLabel : public QLabel {
  public:
    explicit ElidedLabel(const QString& words, QWidget* parent = nullptr) : QLabel(words, parent) {
        setToolTip(words);
        setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setPen(palette().color(foregroundRole()));
        painter.drawText(contentsRect(), static_cast<int>(alignment() | Qt::TextSingleLine),
                         fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width()));
    }
};

}  // namespace rivlen::app
