// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/sends_section.h"

#include <QCheckBox>
#include <QLabel>
#include <QMenu>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "core/project/editing.h"
#include "core/project/strip_parameters.h"

namespace rivlen::app {

SendsSection::SendsSection(Document& document, int track, const SetStripValue& set_value, QWidget* parent)
    : Section(document, parent), track_(track) {
    add_heading(tr("Sends"));
    const Track* here = document_.timeline().track(track_);
    if (here == nullptr) return;
    for (const auto& send : here->strip.sends) add_send_row(send.bus, set_value);
    auto* add =
        make_button(tr("Send to…"), "add_send",
                    tr("A second way out of this track, to a bus: a common room, a group of voices."), this);
    add->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(add);
    menu->setObjectName("send_buses");
    connect(menu, &QMenu::aboutToShow, this, [this, menu] { fill_menu(*menu); });
    add->setMenu(menu);
    add_row({add});
}

void SendsSection::fill_menu(QMenu& menu) {
    menu.clear();
    const Timeline& r = document_.timeline();
    const Strip* strip = r.strip(track_);
    if (strip == nullptr) return;
    for (const auto& bus : r.buses) {
        if (bus.id == r.main_bus() || strip->send_to(bus.id) != nullptr) continue;
        menu.addAction(text(bus.name), this, [this, id = bus.id] { send_to(id); });
    }
    menu.addAction(tr("A new bus"), this, [this] { send_to(0); });
}

// 0: a new one.
void SendsSection::send_to(int bus) {
    document_.edit_timeline(tr("Add a send"), {}, [&](Timeline& r) {
        if (bus == 0) bus = add_bus(r, tr("Bus %1").arg(r.buses.size()).toStdString());
        add_send(r, track_, bus);
    });
}

void SendsSection::edit_send(const QString& label, int bus, const std::function<void(Send&)>& change) {
    document_.edit_timeline(label, {}, [&](Timeline& r) {
        Strip* strip = r.strip(track_);
        if (strip == nullptr) return;
        for (auto& send : strip->sends) {
            if (send.bus == bus) change(send);
        }
    });
}

void SendsSection::add_send_row(int bus, const SetStripValue& set_value) {
    const QString name = text(document_.timeline().strip_name(bus));
    auto* on = new QCheckBox(tr("to %1").arg(name), this);
    on->setObjectName(QString("send_on_%1").arg(bus));
    auto* before = make_button(
        tr("before fader"), QString("send_before_%1").arg(bus),
        tr("Takes the sound in front of ducking, gain and pan; else it falls with the fader."), this);
    before->setCheckable(true);
    before->setProperty("compact", true);
    auto* gone =
        make_button(tr("remove"), QString("send_remove_%1").arg(bus), tr("Removes this send."), this);
    gone->setProperty("compact", true);
    add_row({on, before, gone});
    const StripLane target{LaneTarget::Send, bus, 0, {}};
    auto* level = add_slider(
        kSendLevel, QString("send_level_%1").arg(bus),
        [this, target] {
            const Strip* s = document_.timeline().strip(track_);
            return s != nullptr ? value_at(*s, target, playhead_.count) : 0.0;
        },
        [this, set_value, target](double value) { set_value(track_, target, value); });
    level->setAccessibleName(tr("Level of the send to %1").arg(name));
    connect(on, &QCheckBox::clicked, this, [this, bus](bool checked) {
        edit_send(tr("Switch a send"), bus, [checked](Send& s) { s.on = checked; });
    });
    connect(before, &QToolButton::clicked, this, [this, bus](bool checked) {
        edit_send(tr("Send before the fader"), bus, [checked](Send& s) { s.before_fader = checked; });
    });
    connect(gone, &QToolButton::clicked, this, [this, bus] {
        document_.edit_timeline(tr("Remove a send"), {}, [&](Timeline& r) {
            if (Strip* strip = r.strip(track_)) remove_send(*strip, bus);
        });
    });
    on_refresh([this, bus, on, before, level, target] {
        const Strip* s = document_.timeline().strip(track_);
        const Send* send = s != nullptr ? s->send_to(bus) : nullptr;
        if (send == nullptr) return;
        on->setChecked(send->on);
        before->setChecked(send->before_fader);
        level->set_faint(!send->on);
        level->set_marked(find_lane(*s, target) != nullptr);
    });
}

}  // namespace rivlen::app
