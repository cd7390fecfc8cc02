// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/strip_section.h"
#include "app/widgets/text.h"
#include "core/project/editing.h"
#include "core/project/strip_parameters.h"

#include <QComboBox>
#include <QLineEdit>
#include <QSignalBlocker>
#include <algorithm>

namespace rivlen::app {

StripSection::StripSection(Document& document, int strip_id, SetStripValue set_value, QWidget* parent)
    : Section(document, parent), set_value_(std::move(set_value)), playhead_(SessionFrame{}) {
    const int id = strip_id;
    const Track* track = document_.timeline().track(id);
    add_heading(track != nullptr ? tr("Track") : tr("Bus"));
    auto* name = new QLineEdit(this);
    name->setObjectName("strip_name");
    name->setAccessibleName(tr("Name"));
    connect(name, &QLineEdit::editingFinished, this, [this, id, name] {
        const std::string wanted = name->text().trimmed().toStdString();
        if (wanted.empty()) return;
        document_.edit_timeline(tr("Rename"), {}, [&](Timeline& r) {
            if (Track* t = r.track(id)) t->name = wanted;
            for (auto& bus : r.buses) {
                if (bus.id == id) bus.name = wanted;
            }
        });
    });
    on_refresh([this, id, name] {
        if (!name->hasFocus()) name->setText(text(document_.timeline().strip_name(id)));
    });
    column().addWidget(name);
    if (track != nullptr)
        add_row({bus_box(id), card_box(id)});
    else if (id != document_.timeline().main_bus())
        add_row({bus_box(id)});
    if (document_.timeline().has_pan(id)) add_pan(id);
}

// Where a track or bus goes.
QComboBox* StripSection::bus_box(int id) {
    auto* bus = new QComboBox(this);
    bus->setObjectName("track_bus");
    bus->setAccessibleName(tr("Bus"));
    bus->setToolTip(tr("Where it goes."));
    const Timeline& now = document_.timeline();
    for (const auto& b : now.buses) {
        if (now.track(id) != nullptr || may_go_to(now, id, b.id))
            bus->addItem(tr("to %1").arg(text(b.name)), b.id);
    }
    connect(bus, &QComboBox::activated, this, [this, id, bus](int index) {
        const int to = bus->itemData(index).toInt();
        document_.edit_timeline(tr("Bus of a track or bus"), {}, [&](Timeline& r) {
            if (Track* t = r.track(id))
                t->bus = to;
            else
                route_bus(r, id, to);
        });
    });
    on_refresh([this, id, bus] {
        const Timeline& r = document_.timeline();
        const QSignalBlocker quiet(bus);
        if (const Track* t = r.track(id)) return bus->setCurrentIndex(bus->findData(t->bus));
        const auto here = std::ranges::find(r.buses, id, &Bus::id);
        if (here != r.buses.end()) bus->setCurrentIndex(bus->findData(here->bus));
    });
    return bus;
}

// Which settings shape a track's clips.
QComboBox* StripSection::card_box(int id) {
    auto* card = new QComboBox(this);
    card->setObjectName("track_card");
    card->setAccessibleName(tr("Settings of the track's clips"));
    card->setToolTip(tr("Which settings shape its clips, where they have none of their own."));
    card->addItem(tr("As tuned now"));
    for (std::size_t i = 0; i < kCards; ++i) card->addItem(tr("Card %1").arg(i + 1));
    connect(card, &QComboBox::activated, this, [this, id](int index) {
        document_.edit_timeline(tr("Settings of a track"), {},
                                [&](Timeline& r) { r.track(id)->card = index - 1; });
    });
    on_refresh([this, id, card] {
        const Track* t = document_.timeline().track(id);
        if (t == nullptr) return;
        const QSignalBlocker quiet(card);
        card->setCurrentIndex(t->card + 1);
    });
    return card;
}

void StripSection::add_pan(int id) {
    const Strip* strip = document_.timeline().strip(id);
    const auto add = [&](const ParameterInfo& about, LaneTarget which) {
        const StripLane target{which, 0, 0, {}};
        ParameterSlider* slider = add_slider(
            about, QString("strip_%1").arg(about.key),
            [this, id, target] {
                const Strip* s = document_.timeline().strip(id);
                return s != nullptr ? value_at(*s, target, playhead_.count) : 0.0;
            },
            [this, id, target](double value) { set_value_(id, target, value); });
        on_refresh([this, id, target, slider] {
            const Strip* s = document_.timeline().strip(id);
            slider->set_marked(s != nullptr && find_lane(*s, target) != nullptr);
        });
    };
    add(kStripPan, LaneTarget::Pan);
    if (document_.timeline().layout_of(id) != Layout::Stereo) return;
    if (strip != nullptr && strip->pan_law == PanLaw::Sides) add(kStripWidth, LaneTarget::Width);
    auto* law = new QComboBox(this);
    law->setObjectName("pan_law");
    law->setAccessibleName(tr("What pan does"));
    law->setToolTip(
        tr("Balance: the sides stay where they are and are turned against each other.\n"
           "Sides placed: both sides are put between left and right, around the pan, as far apart as the "
           "width says."));
    law->addItem(tr("Balance"));
    law->addItem(tr("Sides placed"));
    connect(law, &QComboBox::activated, this, [this, id](int index) {
        document_.edit_timeline(tr("What pan does"), {}, [&](Timeline& r) {
            if (Strip* s = r.strip(id)) s->pan_law = static_cast<PanLaw>(index);
        });
    });
    on_refresh([this, id, law] {
        const Strip* s = document_.timeline().strip(id);
        if (s == nullptr) return;
        const QSignalBlocker quiet(law);
        law->setCurrentIndex(static_cast<int>(s->pan_law));
    });
    add_row({law});
}

}  // namespace rivlen::app
