// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/part_tile.h"

#include <QMouseEvent>
#include <QVBoxLayout>
#include <algorithm>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/project/editing.h"

namespace rivlen::app {

namespace {

constexpr int kTileWidth = 112;
constexpr double kMeterFallDb = 0.3;  // each time it is shown
constexpr double kSmallestShownDb = 0.05;

}  // namespace

PartTile::PartTile(Document& document, int strip, std::size_t place, QWidget* parent)
    : QFrame(parent),
      document_(document),
      strip_(strip),
      part_(document.timeline().strip(strip)->chain[place].id),
      place_(place),
      kind_(document.timeline().strip(strip)->chain[place].kind) {
    const EffectInfo& about = info(kind_);
    setObjectName(QString("part_tile_%1").arg(place));
    setProperty("tile", true);
    setFixedWidth(kTileWidth);
    setFocusPolicy(Qt::StrongFocus);
    setToolTip(tr("%1\nClick or Enter opens it; drag it, or Ctrl+Left and Ctrl+Right, to move it.")
                   .arg(words(about.sentence)));
    setAccessibleName(words(about.label));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(6, 6, 6, 6);
    column->setSpacing(4);
    on_ = new QCheckBox(words(about.label), this);
    on_->setObjectName(QString("part_on_%1").arg(place));
    connect(on_, &QCheckBox::clicked, this, &PartTile::switch_on);
    meter_ = new QLabel(this);
    meter_->setFont(number_font());
    meter_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    auto* up = make_button(QChar(0x2190), QString("part_up_%1").arg(place), tr("Earlier in the chain"), this);
    auto* away = make_button(QChar(0x00D7), QString("part_away_%1").arg(place), tr("Take it out"), this);
    auto* acts = new QHBoxLayout;
    acts->setSpacing(4);
    for (auto* b : {up, away}) {
        b->setProperty("compact", true);
        acts->addWidget(b);
    }
    acts->addStretch(1);
    connect(up, &QToolButton::clicked, this, [this] { move_by(-1); });
    connect(away, &QToolButton::clicked, this, &PartTile::take_out);
    column->addWidget(on_);
    column->addWidget(meter_);
    column->addStretch(1);
    column->addLayout(acts);
    refresh();
}

void PartTile::refresh() {
    const Strip* strip = document_.timeline().strip(strip_);
    const Insert* here = strip != nullptr ? strip->part(part_) : nullptr;
    if (here != nullptr) on_->setChecked(here->on);
}

void PartTile::set_open(bool open) {
    setProperty("open", open);
}

void PartTile::switch_on(bool on) {
    document_.edit_timeline(tr("Switch a part"), {}, [&](Timeline& r) {
        Strip* s = r.strip(strip_);
        if (Insert* here = s != nullptr ? s->part(part_) : nullptr) here->on = on;
    });
}

void PartTile::move_by(int by) {
    document_.edit_timeline(tr("Order of the chain"), {}, [&](Timeline& r) {
        if (Strip* s = r.strip(strip_)) move_part(*s, part_, static_cast<int>(place_) + by);
    });
}

void PartTile::take_out() {
    document_.edit_timeline(tr("Take a part out"), {}, [&](Timeline& r) {
        if (Strip* s = r.strip(strip_)) remove_part(*s, part_);
    });
}

void PartTile::show_reduction(double reduction_db) {
    reduction_db_ = std::min(reduction_db, std::min(0.0, reduction_db_ + kMeterFallDb));
    const QString shown =
        reduction_db_ < -kSmallestShownDb ? tr("%1 dB").arg(reduction_db_, 0, 'f', 1) : QString();
    if (shown != meter_->text()) meter_->setText(shown);
}

void PartTile::mousePressEvent(QMouseEvent* event) {
    pressed_ = event->position().toPoint();
    dragged_ = false;
}

void PartTile::mouseMoveEvent(QMouseEvent* event) {
    if (!pressed_ || dragged_) return;
    dragged_ = (event->position().toPoint() - *pressed_).manhattanLength() >= kDragPixels;
    if (dragged_) setCursor(Qt::ClosedHandCursor);
}

void PartTile::mouseReleaseEvent(QMouseEvent* event) {
    const bool dragged = dragged_;
    pressed_.reset();
    dragged_ = false;
    unsetCursor();
    if (dragged)
        emit dropped(part_, event->globalPosition().toPoint());
    else
        emit opened(part_);
}

// Ctrl with an arrow is the tile's while it has the focus, not the window's shortcut.
bool PartTile::event(QEvent* event) {
    if (claims_key(event, {Qt::Key_Left, Qt::Key_Right})) return true;
    return QFrame::event(event);
}

void PartTile::keyPressEvent(QKeyEvent* event) {
    const bool with_control = event->modifiers() & Qt::ControlModifier;
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) return emit opened(part_);
    if (event->key() == Qt::Key_Left && with_control) return move_by(-1);
    if (event->key() == Qt::Key_Right && with_control) return move_by(1);
    QFrame::keyPressEvent(event);
}

}  // namespace rivlen::app
