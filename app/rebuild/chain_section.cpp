// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/chain_section.h"

#include <QMenu>

#include "app/rebuild/chain_files.h"
#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "core/effects/effect_presets.h"
#include "core/project/editing.h"

namespace rivlen::app {

ChainSection::ChainSection(Document& document, int strip, const SetStripValue& set_value,
                           const PartHearing& hearing, QWidget* parent)
    : Section(document, parent), strip_(strip) {
    add_heading(tr("Chain"));
    const std::size_t count = document_.timeline().strip(strip)->chain.size();
    for (std::size_t place = 0; place < count; ++place) {
        auto* part = new PartSection(document_, strip, place, set_value, hearing, this);
        connect(part, &PartSection::said, this, &ChainSection::said);
        connect(part, &PartSection::hearing_wanted, this, &ChainSection::hearing_wanted);
        connect(part, &PartSection::proposal_wanted, this, &ChainSection::proposal_wanted);
        parts_.push_back(part);
        column().addWidget(part);
    }
    add_row({add_button(), chains_button()});
    if (document_.timeline().track(strip) == nullptr) return;
    auto* look = make_button(tr("First look…"), "first_look",
                             tr("Looks at what the track plays and proposes what mends it."), this);
    connect(look, &QToolButton::clicked, this, [this] { emit look_wanted(strip_); });
    add_row({look});
}

QToolButton* ChainSection::add_button() {
    auto* add =
        make_button(tr("Add a part"), "add_part", tr("A further part at the end of the chain."), this);
    add->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(add);
    menu->setObjectName("part_menu");
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const auto kind = static_cast<EffectType>(k);
        menu->addAction(words(info(kind).label), this, [this, kind] {
            document_.edit_timeline(tr("Add %1").arg(words(info(kind).label)), {}, [&](Timeline& r) {
                r.strip(strip_)->chain.push_back(make_part(kind, r.new_id()));
            });
        });
    }
    add->setMenu(menu);
    return add;
}

QToolButton* ChainSection::chains_button() {
    auto* button = make_button(tr("Chains"), "chain_presets",
                               tr("Take a whole chain, or keep this one as a file."), this);
    button->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(button);
    menu->setObjectName("chain_menu");
    const auto take = [this](const std::vector<Insert>& parts) {
        document_.edit_timeline(tr("Take a chain"), {}, [&](Timeline& r) { take_chain(r, strip_, parts); });
    };
    menu->addAction(tr("Start chain for a voice"), this, [take] { take(voice_start_chain()); });
    menu->addAction(tr("Take one from a file…"), this, [this, take] {
        const auto preset = ask_chain(this, tr("A chain"));
        if (!preset) return;
        if (!*preset) return emit said(QString::fromStdString(preset->error().message), true);
        take((*preset)->parts);
    });
    menu->addAction(tr("Keep this chain as a file…"), this, [this] {
        const Strip* s = document_.timeline().strip(strip_);
        if (s == nullptr) return;
        if (const Status kept = ask_and_keep_chain(this, tr("Keep the chain"), s->chain); !kept)
            emit said(QString::fromStdString(kept.error().message), true);
    });
    button->setMenu(menu);
    return button;
}

void ChainSection::refresh_all() {
    refresh();
    for (auto* part : parts_) part->refresh();
}

void ChainSection::follow_playhead(SessionFrame playhead) {
    for (auto* part : parts_) part->follow_playhead(playhead);
}

}  // namespace rivlen::app
