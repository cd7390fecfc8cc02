// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/strip_section.h"
#include "app/widgets/text.h"
#include "core/project/strip_parameters.h"

#include <QComboBox>
#include <QLineEdit>
#include <QSignalBlocker>

namespace rivlen::app {

StripSection::StripSection(Document& document, int strip_id, SetStripValue set_value, QWidget* parent)
    : Section(document, parent), set_value_(std::move(set_value)), playhead_(SessionFrame{}) {
    const int id = strip_id;
    const Track* track = document_.timeline().track(id);
    const auto strip = [this, id] {
        const Strip* s = document_.timeline().strip(id);
        return s != nullptr ? *s : Strip();
    };
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
    if (track != nullptr) {
        auto* bus = new QComboBox(this);
        bus->setObjectName("track_bus");
        bus->setAccessibleName(tr("Bus"));
        bus->setToolTip(tr("Where the track goes."));
        for (const auto& b : document_.timeline().buses)
            bus->addItem(tr("to %1").arg(QString::fromStdString(b.name)), b.id);
        connect(bus, &QComboBox::activated, this, [this, id, bus](int index) {
            document_.edit_timeline(tr("Bus of a track"), {},
                                    [&](Timeline& r) { r.track(id)->bus = bus->itemData(index).toInt(); });
        });
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
        on_refresh([this, id, bus, card] {
            const Track* t = document_.timeline().track(id);
            if (t == nullptr) return;
            const QSignalBlocker quiet_bus(bus);
            const QSignalBlocker quiet_card(card);
            bus->setCurrentIndex(bus->findData(t->bus));
            card->setCurrentIndex(t->card + 1);
        });
        add_row({bus, card});
    }
    add_slider(
        kStripPan, "strip_pan",
        [this, strip] {
            return value_at(strip(), {LaneTarget::Pan, 0, 0, {}}, playhead_.count);
        },
        [this, id](double value) {
            set_value_(id, {LaneTarget::Pan, 0, 0, {}}, value);
        });
}

}  // namespace rivlen::app
