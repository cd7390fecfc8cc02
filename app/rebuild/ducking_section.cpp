// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/ducking_section.h"

#include <QCheckBox>
#include <QMenu>

#include "app/widgets/controls.h"
#include "core/project/silences.h"

namespace rivlen::app {

DuckingSection::DuckingSection(Document& document, int track, LevelWatch& levels, Selection& selection,
                               QWidget* parent)
    : Section(document, parent), levels_(levels), selection_(selection) {
    const int id = track;
    add_heading(tr("Ducking"));
    auto* on = new QCheckBox(tr("turned down by"), this);
    on->setObjectName("duck_on");
    auto* key = make_button(tr("no track"), "duck_key",
                            tr("Tracks that turn this one down: the loudest of them counts."), this);
    key->setAccessibleName(tr("Tracks that turn this one down"));
    key->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(key);
    menu->setObjectName("duck_keys");
    for (const auto& t : document_.timeline().tracks) {
        if (t.id == id) continue;
        auto* act = menu->addAction(QString::fromStdString(t.name));
        act->setCheckable(true);
        act->setData(t.id);
    }
    key->setMenu(menu);
    const auto edit = [this, id](const QString& label, const QString& merge,
                                 const std::function<void(Ducking&)>& change) {
        document_.edit_timeline(label, merge, [&](Timeline& r) {
            if (Track* t = r.track(id)) change(t->ducking);
        });
    };
    connect(on, &QCheckBox::clicked, this, [this, edit, id](bool checked) {
        const auto likely = likely_keys(document_.timeline(), id);
        edit(tr("Ducking"), {}, [&](Ducking& d) {
            d.on = checked;
            if (checked && d.key_tracks.empty()) d.key_tracks = likely;
        });
    });
    connect(menu, &QMenu::triggered, this, [edit](const QAction* act) {
        const int track = act->data().toInt();
        edit(tr("Key of ducking"), {}, [&](Ducking& d) {
            std::erase(d.key_tracks, track);
            if (act->isChecked()) d.key_tracks.push_back(track);
        });
    });
    const auto ducking = [this, id] {
        const Track* t = document_.timeline().track(id);
        return t != nullptr ? t->ducking : Ducking();
    };
    on_refresh([on, key, menu, ducking] {
        const Ducking now = ducking();
        on->setChecked(now.on);
        QStringList names;
        for (QAction* act : menu->actions()) {
            act->setChecked(now.has_key(act->data().toInt()));
            if (act->isChecked()) names.push_back(act->text());
        }
        key->setText(names.empty()       ? tr("no track")
                     : names.size() == 1 ? names.front()
                                         : tr("%n tracks", nullptr, static_cast<int>(names.size())));
        key->setToolTip(names.empty() ? tr("Tracks that turn this one down: the loudest of them counts.")
                                      : names.join(QStringLiteral(", ")));
    });
    add_row({on, key});
    for (std::size_t i = 0; i < kDuckSettings; ++i) {
        const ParameterInfo& about = info(static_cast<DuckSetting>(i));
        ParameterSlider* slider = add_slider(
            about, QString("duck_%1").arg(about.key), [ducking, i] { return ducking().values[i]; },
            [edit, i](double value) {
                edit(tr("Ducking"), QString("duck %1").arg(i), [&](Ducking& d) { d.values[i] = value; });
            });
        on_refresh([slider, ducking] { slider->set_faint(!ducking().acts()); });
    }
    auto* freeze = make_button(
        tr("Freeze into a line"), "duck_freeze",
        tr("The gain as it is drawn becomes points of the gain line, and ducking is switched off."), this);
    connect(freeze, &QToolButton::clicked, this, [this, id] {
        const auto gains = levels_.duck_gains_of(id);
        if (gains.empty())
            return emit said(tr("The levels are still being measured; try again in a moment."), false);
        document_.edit_timeline(tr("Freeze ducking"), {},
                                [&](Timeline& r) { freeze_ducking(*r.track(id), gains); });
        selection_.show_line(id, StripLane{LaneTarget::Gain, 0, 0, {}});
    });
    on_refresh([freeze, ducking] { freeze->setEnabled(ducking().acts()); });
    add_row({freeze});
}

}  // namespace rivlen::app
