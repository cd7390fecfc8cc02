// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/chain_row.h"

#include <QLabel>
#include <QMenu>
#include <QScrollArea>
#include <algorithm>

#include "app/rebuild/chain_files.h"
#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "core/effects/effect_presets.h"
#include "core/project/editing.h"

namespace rivlen::app {

namespace {

constexpr int kRowHeight = 196, kEmptyRowHeight = 32;

}  // namespace

ChainRow::ChainRow(Document& document, Selection& selection, SetStripValue set_value, QWidget* parent)
    : QWidget(parent), document_(document), selection_(selection), set_value_(std::move(set_value)) {
    setObjectName("chain_row");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    connect(&document_, &Document::session_changed, this, &ChainRow::follow);
    connect(&selection_, &Selection::changed, this, &ChainRow::follow);
    follow();
}

QString ChainRow::shape() const {
    const Timeline& r = document_.timeline();
    const int id = selection_.strip();
    QString out = QString("%1|%2|").arg(id).arg(text(r.strip_name(id)));
    if (const Strip* strip = r.strip(id)) {
        for (const auto& part : strip->chain) out += QString("/%1").arg(part.id);
    }
    const auto open = open_part_.find(id);
    return out + QString("|%1").arg(open != open_part_.end() ? open->second : 0);
}

void ChainRow::follow() {
    if (const QString now = shape(); now != built_) {
        build();
        built_ = shape();
    }
    refresh();
}

void ChainRow::refresh() {
    for (auto* tile : tiles_) tile->refresh();
    if (open_ != nullptr) open_->refresh();
}

void ChainRow::build() {
    tiles_.clear();
    open_ = nullptr;
    if (content_ != nullptr) {
        content_->hide();
        content_->deleteLater();
        content_ = nullptr;
    }
    const Timeline& r = document_.timeline();
    const Strip* strip = r.strip(selection_.strip());
    setVisible(strip != nullptr);
    if (strip == nullptr) return;
    const bool any = !strip->chain.empty();
    setFixedHeight(any ? kRowHeight : kEmptyRowHeight);
    content_ = new QWidget(this);
    auto* line = new QHBoxLayout(content_);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(6);
    line->addWidget(build_head(text(r.strip_name(selection_.strip())), any, content_));
    if (any) {
        auto* area = new QScrollArea(content_);
        area->setObjectName("chain_area");
        area->setWidgetResizable(true);
        area->setFrameShape(QFrame::NoFrame);
        area->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
        auto* parts = new QWidget(area);
        auto* row = new QHBoxLayout(parts);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(4);
        add_parts(*strip, parts, row);
        area->setWidget(parts);
        line->addWidget(area, 1);
    } else {
        line->addStretch(1);
    }
    layout()->addWidget(content_);
    content_->show();
}

void ChainRow::add_parts(const Strip& strip, QWidget* content, QHBoxLayout* row) {
    int& open = open_part_[selection_.strip()];
    if (strip.part(open) == nullptr) open = strip.chain.front().id;
    for (std::size_t place = 0; place < strip.chain.size(); ++place) {
        auto* tile = new PartTile(document_, selection_.strip(), place, content);
        connect(tile, &PartTile::opened, this, &ChainRow::open);
        connect(tile, &PartTile::dropped, this, &ChainRow::drop);
        tiles_.push_back(tile);
        row->addWidget(tile);
        if (tile->part() != open) continue;
        tile->set_open(true);
        open_ = new PartSection(document_, selection_.strip(), place, set_value_, hearing_, content);
        connect(open_, &PartSection::said, this, &ChainRow::said);
        connect(open_, &PartSection::hearing_wanted, this, &ChainRow::hear);
        connect(open_, &PartSection::proposal_wanted, this, &ChainRow::proposal_wanted);
        connect(open_, &PartSection::noise_print_wanted, this, &ChainRow::noise_print_wanted);
        open_->follow_playhead(playhead_);
        row->addWidget(open_);
    }
    row->addStretch(1);
}

QWidget* ChainRow::build_head(const QString& name, bool upright, QWidget* parent) {
    auto* head = new QWidget(parent);
    auto* line = new QBoxLayout(upright ? QBoxLayout::TopToBottom : QBoxLayout::LeftToRight, head);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(4);
    auto* label = new QLabel(tr("Chain: %1").arg(name), head);
    QFont font = label->font();
    font.setBold(true);
    label->setFont(font);
    line->addWidget(label);
    line->addWidget(add_button(head));
    line->addWidget(chains_button(head));
    if (document_.timeline().track(selection_.strip()) != nullptr) {
        auto* look = make_button(tr("First look…"), "first_look",
                                 tr("Looks at what the track plays and proposes what mends it."), head);
        connect(look, &QToolButton::clicked, this, [this] { emit look_wanted(selection_.strip()); });
        line->addWidget(look);
    }
    line->addStretch(1);
    return head;
}

QToolButton* ChainRow::add_button(QWidget* parent) {
    auto* add =
        make_button(tr("Add a part"), "add_part", tr("A further part at the end of the chain."), parent);
    add->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(add);
    menu->setObjectName("part_menu");
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const auto kind = static_cast<EffectType>(k);
        menu->addAction(words(info(kind).label), this, [this, kind] {
            const int strip = selection_.strip();
            document_.edit_timeline(tr("Add %1").arg(words(info(kind).label)), {}, [&](Timeline& r) {
                Strip* s = r.strip(strip);
                if (s == nullptr) return;
                s->chain.push_back(make_part(kind, r.new_id()));
                open_part_[strip] = s->chain.back().id;
            });
        });
    }
    add->setMenu(menu);
    return add;
}

QToolButton* ChainRow::chains_button(QWidget* parent) {
    auto* button = make_button(tr("Chains"), "chain_presets",
                               tr("Take a whole chain, or keep this one as a file."), parent);
    button->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(button);
    menu->setObjectName("chain_menu");
    menu->addAction(tr("Start chain for a voice"), this, [this] { take(voice_start_chain()); });
    menu->addAction(tr("Take one from a file…"), this, [this] {
        const auto preset = ask_chain(this, tr("A chain"));
        if (!preset) return;
        if (!*preset) return emit said(QString::fromStdString(preset->error().message), true);
        take((*preset)->parts);
    });
    menu->addAction(tr("Keep this chain as a file…"), this, [this] {
        const Strip* s = document_.timeline().strip(selection_.strip());
        if (s == nullptr) return;
        if (const Status kept = ask_and_keep_chain(this, tr("Keep the chain"), s->chain); !kept)
            emit said(QString::fromStdString(kept.error().message), true);
    });
    button->setMenu(menu);
    return button;
}

void ChainRow::take(const std::vector<Insert>& parts) {
    document_.edit_timeline(tr("Take a chain"), {},
                            [&](Timeline& r) { take_chain(r, selection_.strip(), parts); });
}

void ChainRow::open(int part) {
    open_part_[selection_.strip()] = part;
    follow();
}

// In front of the first tile whose middle lies to the right.
void ChainRow::drop(int part, QPoint at) {
    int to = 0;
    for (auto* tile : tiles_) {
        if (tile->part() != part && tile->mapToGlobal(tile->rect().center()).x() < at.x()) ++to;
    }
    document_.edit_timeline(tr("Order of the chain"), {}, [&](Timeline& r) {
        if (Strip* s = r.strip(selection_.strip())) move_part(*s, part, to);
    });
}

void ChainRow::hear(int part, Chain::Audition what) {
    hearing_ = {part, what};
    emit hearing_wanted(part, what);
    built_.clear();
    follow();
}

void ChainRow::follow_playhead(SessionFrame playhead) {
    playhead_ = playhead;
    if (open_ == nullptr) return;
    open_->follow_playhead(playhead);
    const Strip* strip = document_.timeline().strip(selection_.strip());
    if (strip != nullptr && !strip->lines.empty()) open_->refresh();
}

void ChainRow::show_spectrum(const std::vector<float>& levels) {
    if (wants_spectrum()) open_->graph().show_spectrum(levels);
}

void ChainRow::show_removed(int part, const std::vector<float>& levels) {
    if (open_ != nullptr && open_->part() == part) open_->graph().show_removed(levels);
}

void ChainRow::show_reduction(const std::function<double(int)>& of) {
    for (auto* tile : tiles_) tile->show_reduction(of(tile->part()));
}

}  // namespace rivlen::app
