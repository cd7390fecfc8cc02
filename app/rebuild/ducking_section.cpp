// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/ducking_section.h"

#include <QCheckBox>
#include <QComboBox>
#include <QSignalBlocker>

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
    auto* key = new QComboBox(this);
    key->setObjectName("duck_key");
    key->setAccessibleName(tr("Track that turns this one down"));
    key->addItem(tr("no track"), 0);
    for (const auto& t : document_.timeline().tracks) {
        if (t.id != id) key->addItem(QString::fromStdString(t.name), t.id);
    }
    const auto edit = [this, id](const QString& label, const QString& merge,
                                 const std::function<void(Ducking&)>& change) {
        document_.edit_timeline(label, merge, [&](Timeline& r) {
            if (Track* t = r.track(id)) change(t->ducking);
        });
    };
    connect(on, &QCheckBox::clicked, this, [this, edit, id](bool checked) {
        const int likely = likely_key(document_.timeline(), id);
        edit(tr("Ducking"), {}, [&](Ducking& d) {
            d.on = checked;
            if (checked && d.key_track == 0) d.key_track = likely;
        });
    });
    connect(key, &QComboBox::activated, this, [edit, key](int index) {
        edit(tr("Key of ducking"), {}, [&](Ducking& d) { d.key_track = key->itemData(index).toInt(); });
    });
    const auto ducking = [this, id] {
        const Track* t = document_.timeline().track(id);
        return t != nullptr ? t->ducking : Ducking();
    };
    on_refresh([on, key, ducking] {
        const QSignalBlocker quiet(key);
        on->setChecked(ducking().on);
        key->setCurrentIndex(std::max(0, key->findData(ducking().key_track)));
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
