// SPDX-License-Identifier: GPL-3.0-or-later
// Six cards of settings side by side, with what they cost.
#pragma once

#include <QWidget>

#include "app/separate/measuring.h"
#include "app/shell/document.h"

namespace rivlen::app {

class CardRow : public QWidget {
    Q_OBJECT
  public:
    CardRow(Document& document, Measuring& measuring, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {600, 56}; }
    void store(std::size_t card);   // present settings into a card
    void recall(std::size_t card);  // a card's settings become the present ones
    void clear(std::size_t card);
    [[nodiscard]] QRect card_rect(std::size_t card) const;

  signals:
    void said(const QString& sentence, bool trouble);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

  private:
    void follow_session();
    [[nodiscard]] int card_at(QPoint at) const;
    void rename(std::size_t card);
    void draw_card(QPainter& painter, std::size_t index, const QRect& rect) const;
    Document& document_;
    Measuring& measuring_;
};

}  // namespace rivlen::app
