// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/card_row.h"

#include <QContextMenuEvent>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHelpEvent>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

#include "app/widgets/file_dialogs.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr int kGap = 4;
constexpr int kHeight = 56;
constexpr int kEmptyHeight = 18;  // of the row

QString key_of(std::size_t card) {
    return QString("F%1").arg(card + 2);
}

}  // namespace

CardRow::CardRow(Document& document, Measuring& measuring, QWidget* parent)
    : QWidget(parent), document_(document), measuring_(measuring) {
    setFixedHeight(kEmptyHeight);
    setAccessibleName(tr("Cards of settings"));
    connect(&measuring_, &Measuring::changed, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::session_changed, this, &CardRow::follow_session);
}

// No more room than is needed to say how the first is kept, until there is one.
void CardRow::follow_session() {
    const auto* item = document_.current_item();
    const bool any = item != nullptr &&
                     std::ranges::any_of(item->cards, [](const auto& card) { return card.has_value(); });
    setFixedHeight(any ? kHeight : kEmptyHeight);
    update();
}

QRect CardRow::card_rect(std::size_t card) const {
    const int each = (width() + kGap) / static_cast<int>(kCards);
    return {static_cast<int>(card) * each, 0, each - kGap, height()};
}

int CardRow::card_at(QPoint at) const {
    for (std::size_t i = 0; i < kCards; ++i) {
        if (card_rect(i).contains(at)) return static_cast<int>(i);
    }
    return -1;
}

void CardRow::store(std::size_t card) {
    document_.edit(tr("Keep on card %1").arg(card + 1), {}, [&](Session& session) {
        if (session.current < 0) return;
        auto& item = session.items[static_cast<std::size_t>(session.current)];
        const std::string name =
            item.cards[card] ? item.cards[card]->name : tr("Card %1").arg(card + 1).toStdString();
        const std::string note = item.cards[card] ? item.cards[card]->note : std::string();
        item.cards[card] = Card{name, note, item.edited()};
    });
}

void CardRow::recall(std::size_t card) {
    const auto* item = document_.current_item();
    if (item == nullptr) return;
    if (!item->cards[card]) {
        emit said(tr("Card %1 is empty. Shift+%2 keeps the present settings on it.")
                      .arg(card + 1)
                      .arg(key_of(card)),
                  false);
        return;
    }
    const ShapeSettings settings = item->cards[card]->settings;
    document_.edit_settings(tr("Take card %1").arg(card + 1), {}, [&](ShapeSettings& s) { s = settings; });
}

void CardRow::clear(std::size_t card) {
    document_.edit(tr("Empty card %1").arg(card + 1), {}, [&](Session& session) {
        if (session.current >= 0)
            session.items[static_cast<std::size_t>(session.current)].cards[card].reset();
    });
}

void CardRow::draw_card(QPainter& painter, std::size_t index, const QRect& rect) const {
    const auto* item = document_.current_item();
    const auto* card = item != nullptr && item->cards[index] ? &*item->cards[index] : nullptr;
    const bool present = card != nullptr && card->settings == item->edited();
    painter.fillRect(rect, card != nullptr ? colour::kRaised : colour::kPanel);
    painter.setPen(QPen(present ? colour::kAct : colour::kLine, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(rect.adjusted(0, 0, -1, -1));
    const QRect inner = rect.adjusted(6, 3, -6, -3);
    QFont small = font();
    small.setPointSizeF(7.5);
    if (card == nullptr) {
        painter.setFont(small);
        painter.setPen(colour::kDim);
        const QString words = height() < kHeight ? tr("Shift+%1 keeps the settings")
                                                 : tr("Shift+%1 keeps\nthe present settings");
        painter.drawText(inner, Qt::AlignCenter, words.arg(key_of(index)));
        return;
    }
    painter.setFont(font());
    painter.setPen(colour::kText);
    painter.drawText(inner, Qt::AlignLeft | Qt::AlignTop, QString::fromStdString(card->name));
    painter.setFont(small);
    painter.setPen(colour::kDim);
    painter.drawText(inner, Qt::AlignRight | Qt::AlignTop, key_of(index));
    const Measured* m = measuring_.card(index);
    if (m == nullptr) {
        painter.drawText(inner, Qt::AlignLeft | Qt::AlignBottom,
                         document_.map() ? tr("measuring…") : QString());
        return;
    }
    painter.drawText(inner.adjusted(0, 15, 0, 0), Qt::AlignLeft | Qt::AlignTop,
                     tr("leak %1 dB").arg(m->figures.bleed_db, 0, 'f', 0));
    painter.setPen(colour::kWarn);
    painter.drawText(inner.adjusted(68, 15, 0, 0), Qt::AlignLeft | Qt::AlignTop,
                     tr("damage %1").arg(m->figures.damage, 0, 'f', 0));
    painter.setPen(colour::kDim);
    painter.drawText(inner, Qt::AlignLeft | Qt::AlignBottom, level_text(m->loudness_lufs, "LUFS"));
    // Damage over the loop.
    const QRectF spark(inner.left() + 68, inner.bottom() - 15, inner.width() - 68, 14);
    QPainterPath path;
    const std::size_t count = m->risk.size();
    for (int x = 0; x < static_cast<int>(spark.width()) && count > 0; ++x) {
        const auto from = static_cast<std::size_t>(x * static_cast<double>(count) / spark.width());
        const auto to = std::max(
            from + 1, static_cast<std::size_t>((x + 1) * static_cast<double>(count) / spark.width()));
        float worst = 0;
        for (std::size_t i = from; i < std::min(to, count); ++i) worst = std::max(worst, m->risk[i]);
        const QPointF at(
            spark.left() + x,
            spark.bottom() - std::min(1.0, static_cast<double>(worst) / kFullRisk) * spark.height());
        if (x == 0) {
            path.moveTo(at);
        } else {
            path.lineTo(at);
        }
    }
    painter.setPen(QPen(colour::kWarn, 1));
    painter.drawPath(path);
}

void CardRow::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    for (std::size_t i = 0; i < kCards; ++i) draw_card(painter, i, card_rect(i));
}

void CardRow::mousePressEvent(QMouseEvent* event) {
    const int card = card_at(event->pos());
    if (card < 0 || event->button() != Qt::LeftButton || document_.current_item() == nullptr) return;
    if (event->modifiers() & Qt::ShiftModifier) {
        store(static_cast<std::size_t>(card));
    } else {
        recall(static_cast<std::size_t>(card));
    }
}

void CardRow::rename(std::size_t card) {
    const auto* item = document_.current_item();
    if (item == nullptr || !item->cards[card]) return;
    auto* dialog = new QDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Card %1").arg(card + 1));
    dialog->setObjectName("card_name");
    auto* form = new QFormLayout(dialog);
    auto* name = new QLineEdit(QString::fromStdString(item->cards[card]->name), dialog);
    auto* note = new QLineEdit(QString::fromStdString(item->cards[card]->note), dialog);
    form->addRow(tr("Name"), name);
    form->addRow(tr("Note"), note);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, dialog);
    form->addRow(buttons);
    connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::reject);
    connect(buttons, &QDialogButtonBox::accepted, dialog, [this, dialog, name, note, card] {
        document_.edit(tr("Name card %1").arg(card + 1), {}, [&](Session& session) {
            auto& target = session.items[static_cast<std::size_t>(session.current)].cards[card];
            if (!target) return;
            target->name = name->text().toStdString();
            target->note = note->text().toStdString();
        });
        dialog->accept();
    });
    dialog->show();
}

void CardRow::contextMenuEvent(QContextMenuEvent* event) {
    const int index = card_at(event->pos());
    const auto* item = document_.current_item();
    if (index < 0 || item == nullptr) return;
    const auto card = static_cast<std::size_t>(index);
    const bool filled = item->cards[card].has_value();
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Keep the present settings here"), this, [this, card] { store(card); });
    if (filled) {
        menu->addAction(tr("Take these settings"), this, [this, card] { recall(card); });
        menu->addAction(tr("Name and note…"), this, [this, card] { rename(card); });
        for (std::size_t to = 0; to < kCards; ++to) {
            if (to == card || item->cards[to]) continue;
            menu->addAction(tr("Copy to card %1").arg(to + 1), this, [this, card, to] {
                document_.edit(tr("Copy card"), {}, [&](Session& session) {
                    auto& cards = session.items[static_cast<std::size_t>(session.current)].cards;
                    cards[to] = cards[card];
                });
            });
            break;
        }
        menu->addAction(tr("Save as a preset…"), this, [this, card] {
            const auto file = ask_new_file(this, tr("Save as a preset"), FileKind::Preset);
            if (!file) return;
            Card preset = *document_.current_item()->cards[card];
            preset.corrections = document_.current_item()->corrections;
            const Status status = save_preset(preset, *file);
            if (!status) emit said(QString::fromStdString(status.error().message), true);
        });
    }
    menu->addAction(tr("Load a preset…"), this, [this, card] {
        const auto file = ask_file(this, tr("Load a preset"), FileKind::Preset);
        if (!file) return;
        auto loaded = load_preset(*file);
        if (!loaded) return emit said(QString::fromStdString(loaded.error().message), true);
        document_.edit(tr("Load a preset"), {}, [&](Session& session) {
            auto& item = session.items[static_cast<std::size_t>(session.current)];
            append(item.corrections, loaded->corrections);
            item.cards[card] = *loaded;
            item.cards[card]->corrections.clear();
        });
    });
    if (filled) menu->addAction(tr("Empty this card"), this, [this, card] { clear(card); });
    menu->popup(event->globalPos());
}

bool CardRow::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int card = card_at(help->pos());
        const auto* item = document_.current_item();
        QString words =
            tr("Click takes a card's settings, Shift+click keeps the present ones on it, right click for "
               "name, copy and presets.");
        if (card >= 0 && item != nullptr && item->cards[static_cast<std::size_t>(card)] &&
            !item->cards[static_cast<std::size_t>(card)]->note.empty())
            words = QString::fromStdString(item->cards[static_cast<std::size_t>(card)]->note) + "\n" + words;
        QToolTip::showText(help->globalPos(), words, this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace rivlen::app
