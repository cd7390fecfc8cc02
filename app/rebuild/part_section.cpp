// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/part_section.h"

#include <QMenu>
#include <algorithm>

#include "app/rebuild/chain_files.h"
#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/effects/effect_presets.h"
#include "core/project/editing.h"

namespace rivlen::app {

namespace {

constexpr int kFirstColumnWidth = 268, kColumnWidth = 262;
constexpr std::size_t kRowsAColumn = 6;

}  // namespace

PartSection::PartSection(Document& document, int strip, std::size_t place, SetStripValue set_value,
                         const PartHearing& hearing, QWidget* parent)
    : Section(document, parent),
      strip_(strip),
      part_(document.timeline().strip(strip)->chain[place].id),
      place_(place),
      kind_(document.timeline().strip(strip)->chain[place].kind) {
    add_column(kFirstColumnWidth);
    build_acts(hearing);
    build_graph();
    build_sliders(set_value);
}

const Insert* PartSection::insert() const {
    const Strip* strip = document_.timeline().strip(strip_);
    return strip != nullptr ? strip->part(part_) : nullptr;
}

void PartSection::edit_part(const QString& label, const QString& key,
                            const std::function<void(Insert&)>& change) {
    document_.edit_timeline(label, key, [&](Timeline& r) {
        Strip* s = r.strip(strip_);
        if (Insert* here = s != nullptr ? s->part(part_) : nullptr) change(*here);
    });
}

void PartSection::take_ready(const std::function<void(Insert&)>& change) {
    edit_part(tr("Take ready values"), {}, change);
}

bool PartSection::shows_spectrum() const {
    return curve_kind(kind_) == CurveKind::Frequency || is_repair(kind_);
}

void PartSection::build_acts(const PartHearing& hearing) {
    auto* acts = add_row({presets_button(), hearing_button(hearing, Chain::Audition::Original)});
    if (has_key(kind_)) acts->insertWidget(acts->count() - 1, hearing_button(hearing, Chain::Audition::Key));
    if (!is_repair(kind_)) return;
    auto* propose = make_button(tr("propose"), QString("part_propose_%1").arg(place_),
                                tr("Sets it by what the track plays."), this);
    propose->setProperty("compact", true);
    propose->setEnabled(document_.timeline().track(strip_) != nullptr);
    connect(propose, &QToolButton::clicked, this, [this] { emit proposal_wanted(strip_, part_); });
    const int end = acts->count() - 1;  // before the stretch
    acts->insertWidget(end, hearing_button(hearing, Chain::Audition::Removed));
    acts->insertWidget(end + 1, propose);
    if (kind_ != EffectType::Hiss) return;
    auto* learn =
        make_button(tr("learn"), QString("part_learn_%1").arg(place_),
                    tr("Learns the noise where it sounds alone: from the loop range, or without a loop from "
                       "the pauses. The line in the graph is what it expects."),
                    this);
    learn->setProperty("compact", true);
    learn->setEnabled(document_.timeline().track(strip_) != nullptr);
    connect(learn, &QToolButton::clicked, this, [this] { emit noise_print_wanted(strip_, part_); });
    acts->insertWidget(end + 2, learn);
}

QToolButton* PartSection::hearing_button(const PartHearing& hearing, Chain::Audition what) {
    struct Words {
        QString label, name, tip;
    };
    const auto words_of = [what]() -> Words {
        switch (what) {
            case Chain::Audition::Removed:
                return {tr("removed"), "part_removed_%1", tr("Hear only what this part takes out.")};
            case Chain::Audition::Key:
                return {tr("key"), "part_key_%1", tr("Hear what this part goes by.")};
            default:
                return {tr("original"), "part_original_%1",
                        tr("Hear what goes into this part, as loud as what comes out of it.")};
        }
    };
    const Words words = words_of();
    auto* button = make_button(words.label, words.name.arg(place_), words.tip, this);
    button->setCheckable(true);
    button->setProperty("compact", true);
    button->setChecked(hearing.part == part_ && hearing.what == what);
    connect(button, &QToolButton::clicked, this,
            [this, what](bool hear) { emit hearing_wanted(hear ? part_ : 0, what); });
    return button;
}

// Ready values, and the part as a file of its own.
QToolButton* PartSection::presets_button() {
    auto* button = make_button(tr("values"), QString("part_presets_%1").arg(place_),
                               tr("Ready values for this part, or keep these as a file."), this);
    button->setProperty("compact", true);
    button->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(button);
    menu->setObjectName(QString("part_presets_menu_%1").arg(place_));
    menu->addAction(tr("Standard"), this, [this] {
        take_ready([](Insert& p) {
            p.values = make_part(p.kind, p.id).values;
            p.noise_shape_db.clear();
        });
    });
    for (const auto& preset : presets_of(kind_))
        menu->addAction(words(preset.name), this,
                        [this, preset] { take_ready([&](Insert& p) { apply(preset, p); }); });
    menu->addSeparator();
    menu->addAction(tr("Take from a file…"), this, &PartSection::take_from_file);
    menu->addAction(tr("Keep as a file…"), this, [this] {
        const Insert* here = insert();
        if (here == nullptr) return;
        if (const Status kept = ask_and_keep_chain(this, tr("Keep the part"), {*here}); !kept)
            emit said(QString::fromStdString(kept.error().message), true);
    });
    button->setMenu(menu);
    return button;
}

void PartSection::take_from_file() {
    const auto preset = ask_chain(this, tr("A part"));
    if (!preset) return;
    if (!*preset) return emit said(QString::fromStdString(preset->error().message), true);
    const auto& parts = (*preset)->parts;
    const auto found = std::ranges::find(parts, kind_, &Insert::kind);
    if (found == parts.end())
        return emit said(tr("There is no %1 in that file. Choose another.").arg(words(info(kind_).label)),
                         true);
    take_ready([&](Insert& p) {
        p.values = found->values;
        p.noise_shape_db = found->noise_shape_db;
    });
}

void PartSection::build_graph() {
    graph_ = new PartGraph(this);
    graph_->setObjectName(QString("part_graph_%1").arg(place_));
    on_refresh([this] {
        if (const Insert* p = insert()) graph_->show_part(*p, document_.timeline().sample_rate);
    });
    connect(graph_, &PartGraph::changed, this, [this](std::size_t parameter, double value) {
        edit_part(tr("Equaliser"), QString("graph %1").arg(part_),
                  [&](Insert& p) { p.values[parameter] = value; });
    });
    connect(graph_, &PartGraph::released, this, [this] { document_.close_step(); });
    column().addWidget(graph_, 1);
}

void PartSection::build_sliders(const SetStripValue& set_value) {
    const EffectInfo& about = info(kind_);
    for (std::size_t p = 0; p < about.parameters.size(); ++p) {
        if (p % kRowsAColumn == 0) {
            if (p > 0) column().addStretch(1);
            add_column(kColumnWidth);
        }
        const StripLane target{LaneTarget::Part, part_, static_cast<int>(p), {}};
        ParameterSlider* slider = add_slider(
            about.parameters[p], QString("part_%1_%2").arg(place_).arg(about.parameters[p].key),
            [this, target] {
                const Strip* s = document_.timeline().strip(strip_);
                return s != nullptr ? value_at(*s, target, playhead_.count) : 0.0;
            },
            [this, set_value, target](double value) { set_value(strip_, target, value); });
        on_refresh([this, target, slider] {
            const Strip* s = document_.timeline().strip(strip_);
            const Insert* here = insert();
            if (s == nullptr || here == nullptr) return;
            slider->set_marked(find_lane(*s, target) != nullptr);
            slider->set_faint(!here->on);
        });
    }
    column().addStretch(1);
}

}  // namespace rivlen::app
