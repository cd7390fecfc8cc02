// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/inspector.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QScrollArea>
#include <QScrollBar>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <cmath>

#include "app/rebuild/parameters.h"
#include "app/widgets/controls.h"
#include "app/widgets/theme.h"
#include "core/effects/effect_presets.h"
#include "core/project/chain_preset.h"

namespace rivlen::app {

namespace {

constexpr int kNumberWidth = 94;

QLabel* heading(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    QFont font = label->font();
    font.setBold(true);
    label->setFont(font);
    label->setContentsMargins(0, 6, 0, 0);
    return label;
}

QHBoxLayout* row_of(std::initializer_list<QWidget*> widgets) {
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    for (QWidget* w : widgets) row->addWidget(w);
    row->addStretch(1);
    return row;
}

}  // namespace

Inspector::Inspector(Document& document, Selection& selection, LevelWatch& levels, SetStripValue set_value,
                     QWidget* parent)
    : QWidget(parent),
      document_(document),
      selection_(selection),
      levels_(levels),
      set_value_(std::move(set_value)),
      outer_(new QVBoxLayout(this)) {
    outer_->setContentsMargins(0, 0, 0, 0);
    connect(&document_, &Document::session_changed, this, &Inspector::follow);
    connect(&selection_, &Selection::changed, this, &Inspector::follow);
    connect(&levels_, &LevelWatch::changed, this, [this] {
        if (silences_open_) emit silences_changed();
    });
    follow();
}

void Inspector::edit_strip(const QString& label, const QString& key,
                           const std::function<void(Strip&)>& change) {
    document_.edit_timeline(label, key, [&](Timeline& r) {
        if (Strip* s = r.strip(selection_.strip())) change(*s);
    });
}

QString Inspector::shape() const {
    const Timeline& r = document_.timeline();
    QString out =
        QString("%1|%2|%3|").arg(selection_.strip()).arg(selection_.clips().size()).arg(silences_open_);
    if (selection_.clips().size() == 1) out += QString::number(selection_.clips().front());
    if (const Strip* strip = r.strip(selection_.strip())) {
        for (const auto& part : strip->chain) out += QString("/%1").arg(part.id);
    }
    for (const auto& t : r.tracks) out += "," + QString::fromStdString(t.name);
    for (const auto& b : r.buses) out += ";" + QString::fromStdString(b.name);
    return out;
}

void Inspector::follow() {
    if (const QString now = shape(); now != built_) {
        built_ = now;
        build();
    }
    for (const auto& refresh : refresh_) refresh();
}

void Inspector::follow_playhead() {
    const Strip* strip = document_.timeline().strip(selection_.strip());
    if (strip == nullptr || strip->lines.empty()) return;
    for (const auto& refresh : refresh_) refresh();
}

void Inspector::show_spectrum(const std::vector<float>& levels) {
    for (const auto& g : graphs_) g.graph->show_spectrum(levels);
}

void Inspector::show_removed(int part, const std::vector<float>& levels) {
    for (const auto& g : graphs_) {
        if (g.part == part) g.graph->show_removed(levels);
    }
}

// In place of the strip's chain, with ids of its own.
void Inspector::take_chain(const std::vector<Insert>& parts) {
    const int id = selection_.strip();
    document_.edit_timeline(tr("Take a chain"), {}, [&](Timeline& r) {
        Strip& s = *r.strip(id);
        std::erase_if(s.lines, [](const StripLane& l) { return l.target == LaneTarget::Part; });
        s.chain = parts;
        for (auto& part : s.chain) part.id = r.new_id();
    });
}

void Inspector::show_reduction(const std::function<double(int)>& of) {
    for (auto& meter : meters_) {
        meter.shown = std::min(of(meter.part), std::min(0.0, meter.shown + 0.3));
        const QString text = meter.shown < -0.05 ? tr("%1 dB").arg(meter.shown, 0, 'f', 1) : QString();
        if (text != meter.label->text()) meter.label->setText(text);
    }
}

ParameterSlider* Inspector::add_rail(QVBoxLayout* column, const ParameterInfo& info, const QString& name,
                                     const std::function<double()>& value,
                                     const std::function<void(double)>& set) {
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    auto* label = new QLabel(tr(info.label), content_);
    label->setFixedWidth(72);
    label->setToolTip(QString("%1\n%2").arg(tr(info.sentence), tr(info.too_much)));
    auto* slider = new ParameterSlider(info, content_);
    slider->setObjectName(name);
    slider->set_number_width(kNumberWidth);
    slider->setAccessibleName(tr(info.label));
    slider->setToolTip(label->toolTip());
    line->addWidget(label);
    line->addWidget(slider, 1);
    column->addLayout(line);
    connect(slider, &ParameterSlider::moved, this, set);
    connect(slider, &ParameterSlider::released, this, [this] { document_.close_step(); });
    refresh_.emplace_back([slider, value] { slider->set_value(value()); });
    return slider;
}

void Inspector::build() {
    refresh_.clear();
    meters_.clear();
    graphs_.clear();
    int scrolled = 0;
    if (auto* area = findChild<QScrollArea*>("mix_side_area")) {
        scrolled = area->verticalScrollBar()->value();
        area->deleteLater();
        area->setObjectName({});
        area->hide();
        outer_->removeWidget(area);
    }
    auto* area = new QScrollArea(this);
    area->setObjectName("mix_side_area");
    area->setWidgetResizable(true);
    area->setFrameShape(QFrame::NoFrame);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    content_ = new QWidget(area);
    auto* column = new QVBoxLayout(content_);
    column->setContentsMargins(4, 0, 8, 4);
    column->setSpacing(4);
    if (silences_open_) build_silences(column);
    if (!selection_.clips().empty()) build_clip(column);
    if (document_.timeline().strip(selection_.strip()) != nullptr) {
        build_strip(column);
        build_chain(column);
        if (document_.timeline().track(selection_.strip()) != nullptr) {
            build_ducking(column);
            build_levelling(column);
        }
    } else {
        column->addWidget(
            make_note(tr("Place the stems of a recording (Shift+P): what can be set for clips and tracks "
                         "stands here."),
                      content_));
    }
    column->addStretch(1);
    area->setWidget(content_);
    outer_->addWidget(area);
    area->show();
    QMetaObject::invokeMethod(
        area, [area, scrolled] { area->verticalScrollBar()->setValue(scrolled); }, Qt::QueuedConnection);
}

void Inspector::build_clip(QVBoxLayout* column) {
    const auto clips = selection_.clips();
    const int first = clips.front();
    const auto clip = [this, first] {
        const Clip* c = document_.timeline().clip(first);
        return c != nullptr ? *c : Clip();
    };
    const std::string name = clip().path.stem().string();
    column->addWidget(heading(clips.size() == 1 ? tr("Clip: %1").arg(QString::fromStdString(name))
                                                : tr("%1 clips").arg(clips.size()),
                              content_));
    auto* settings = new QComboBox(content_);
    settings->setObjectName("clip_card");
    settings->setAccessibleName(tr("Settings of the clip"));
    settings->setToolTip(tr("Which settings shape what the clip plays."));
    settings->addItems({tr("Settings of the track"), tr("As tuned now")});
    for (std::size_t i = 0; i < kCards; ++i) settings->addItem(tr("Card %1").arg(i + 1));
    connect(settings, &QComboBox::activated, this, [this, clips](int index) {
        document_.edit_timeline(tr("Settings of clips"), {}, [&](Timeline& r) {
            for (const int id : clips) {
                if (Clip* c = r.clip(id))
                    c->card = index == 0 ? kTrackSettings : index == 1 ? kTunedSettings : index - 2;
            }
        });
    });
    refresh_.emplace_back([settings, clip] {
        const int card = clip().card;
        const QSignalBlocker quiet(settings);
        settings->setCurrentIndex(card == kTrackSettings ? 0 : card == kTunedSettings ? 1 : card + 2);
        settings->setEnabled(clip().clip_source != ClipSource::Whole);
    });
    column->addWidget(settings);
    add_rail(
        column, kClipGain, "clip_gain", [clip] { return clip().gain_db; },
        [this, clips](double value) {
            document_.edit_timeline(tr("Gain of clips"), "clip gain",
                                    [&](Timeline& r) { set_clip_gain(r, clips, value); });
        });
    const auto fade = [this, column, clip, clips](bool in) {
        add_rail(
            column, in ? kFadeInMs : kFadeOutMs, in ? "clip_fade_in" : "clip_fade_out",
            [this, clip, in] {
                const Clip c = clip();
                return 1000.0 * static_cast<double>(in ? c.fade_in.frames : c.fade_out.frames) /
                       std::max(1, document_.timeline().sample_rate);
            },
            [this, clips, in](double ms) {
                document_.edit_timeline(in ? tr("Fade in") : tr("Fade out"), in ? "fade in" : "fade out",
                                        [&](Timeline& r) {
                                            for (const int id : clips) {
                                                const Clip* c = r.clip(id);
                                                if (c == nullptr) continue;
                                                Fade f = in ? c->fade_in : c->fade_out;
                                                f.frames = std::llround(ms / 1000 * r.sample_rate);
                                                set_fade(r, id, in, f);
                                            }
                                        });
            });
    };
    fade(true);
    fade(false);
    auto* shape = new QComboBox(content_);
    shape->setObjectName("fade_shape");
    shape->setAccessibleName(tr("Shape of the fades"));
    shape->addItems({tr("Linear fades"), tr("Equal-power fades"), tr("Smooth fades")});
    connect(shape, &QComboBox::activated, this, [this, clips](int index) {
        document_.edit_timeline(tr("Shape of fades"), {}, [&](Timeline& r) {
            for (const int id : clips) {
                Clip* c = r.clip(id);
                if (c != nullptr) c->fade_in.shape = c->fade_out.shape = static_cast<FadeShape>(index);
            }
        });
    });
    refresh_.emplace_back([shape, clip] {
        const QSignalBlocker quiet(shape);
        shape->setCurrentIndex(static_cast<int>(clip().fade_in.shape));
    });
    column->addWidget(shape);
    if (clips.size() == 1) {
        auto* replace =
            make_button(tr("Replace…"), "replace",
                        tr("Other music in its place: as long at most, faded, and as loud."), content_);
        connect(replace, &QToolButton::clicked, this, [this, first] { emit replace_wanted(first); });
        column->addLayout(row_of({replace}));
    }
}

void Inspector::build_strip(QVBoxLayout* column) {
    const int id = selection_.strip();
    const Track* track = document_.timeline().track(id);
    const auto strip = [this, id] {
        const Strip* s = document_.timeline().strip(id);
        return s != nullptr ? *s : Strip();
    };
    column->addWidget(heading(track != nullptr ? tr("Track") : tr("Bus"), content_));
    auto* name = new QLineEdit(content_);
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
    refresh_.emplace_back([this, id, name] {
        const Track* t = document_.timeline().track(id);
        const auto& buses = document_.timeline().buses;
        const auto bus = std::ranges::find(buses, id, &Bus::id);
        if (name->hasFocus()) return;
        name->setText(QString::fromStdString(t != nullptr ? t->name : bus != buses.end() ? bus->name : ""));
    });
    column->addWidget(name);
    if (track != nullptr) {
        auto* bus = new QComboBox(content_);
        bus->setObjectName("track_bus");
        bus->setAccessibleName(tr("Bus"));
        bus->setToolTip(tr("Where the track goes."));
        for (const auto& b : document_.timeline().buses)
            bus->addItem(tr("to %1").arg(QString::fromStdString(b.name)), b.id);
        connect(bus, &QComboBox::activated, this, [this, id, bus](int index) {
            document_.edit_timeline(tr("Bus of a track"), {},
                                    [&](Timeline& r) { r.track(id)->bus = bus->itemData(index).toInt(); });
        });
        auto* card = new QComboBox(content_);
        card->setObjectName("track_card");
        card->setAccessibleName(tr("Settings of the track's clips"));
        card->setToolTip(tr("Which settings shape its clips, where they have none of their own."));
        card->addItem(tr("As tuned now"));
        for (std::size_t i = 0; i < kCards; ++i) card->addItem(tr("Card %1").arg(i + 1));
        connect(card, &QComboBox::activated, this, [this, id](int index) {
            document_.edit_timeline(tr("Settings of a track"), {},
                                    [&](Timeline& r) { r.track(id)->card = index - 1; });
        });
        refresh_.emplace_back([this, id, bus, card] {
            const Track* t = document_.timeline().track(id);
            if (t == nullptr) return;
            const QSignalBlocker quiet_bus(bus);
            const QSignalBlocker quiet_card(card);
            bus->setCurrentIndex(bus->findData(t->bus));
            card->setCurrentIndex(t->card + 1);
        });
        column->addLayout(row_of({bus, card}));
    }
    add_rail(
        column, kStripPan, "strip_pan",
        [this, strip] {
            return value_at(strip(), {LaneTarget::Pan, 0, 0, {}}, document_.playhead());
        },
        [this, id](double value) {
            set_value_(id, {LaneTarget::Pan, 0, 0, {}}, value);
        });
}

QToolButton* Inspector::hearing_button(int part, std::size_t place, Chain::Audition what) {
    const bool removed = what == Chain::Audition::Removed;
    auto* button =
        removed
            ? make_button(tr("removed"), QString("part_removed_%1").arg(place),
                          tr("Hear only what this part takes out."), content_)
            : make_button(tr("original"), QString("part_original_%1").arg(place),
                          tr("Hear what goes into this part, as loud as what comes out of it."), content_);
    button->setCheckable(true);
    button->setProperty("compact", true);
    button->setChecked(heard_ == part && heard_as_ == what);
    connect(button, &QToolButton::clicked, this, [this, part, what](bool hear) {
        heard_ = hear ? part : 0;
        heard_as_ = what;
        emit hearing_wanted(heard_, what);
        built_.clear();
        follow();
    });
    return button;
}

// Ready values, and a part as a file of its own.
QToolButton* Inspector::presets_button(int part, std::size_t place) {
    const int id = selection_.strip();
    const EffectType kind = document_.timeline().strip(id)->chain[place].kind;
    auto* button = make_button(tr("values"), QString("part_presets_%1").arg(place),
                               tr("Ready values for this part, or keep these as a file."), content_);
    button->setProperty("compact", true);
    button->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(button);
    menu->setObjectName(QString("part_presets_menu_%1").arg(place));
    const auto take = [this, part](const std::function<void(Insert&)>& change) {
        edit_strip(tr("Take ready values"), {}, [&](Strip& s) {
            for (auto& p : s.chain) {
                if (p.id == part) change(p);
            }
        });
    };
    menu->addAction(tr("Standard"), this,
                    [take] { take([](Insert& p) { p.values = make_part(p.kind, p.id).values; }); });
    for (const auto& preset : presets_of(kind))
        menu->addAction(tr(preset.name), this,
                        [take, preset] { take([&](Insert& p) { apply(preset, p); }); });
    menu->addSeparator();
    menu->addAction(tr("Take from a file…"), this, [this, take, kind] {
        const QString file =
            QFileDialog::getOpenFileName(this, tr("A part"), {}, tr("Chains (*.rivlen-chain)"));
        if (file.isEmpty()) return;
        const auto preset = load_chain_preset(file.toStdString());
        if (!preset) return emit said(QString::fromStdString(preset.error().message), true);
        const auto found = std::ranges::find(preset->parts, kind, &Insert::kind);
        if (found == preset->parts.end())
            return emit said(tr("There is no %1 in \"%2\".").arg(tr(info(kind).label), file), true);
        take([&](Insert& p) { p.values = found->values; });
    });
    menu->addAction(tr("Keep as a file…"), this, [this, id, part] {
        const Strip* s = document_.timeline().strip(id);
        const auto here = std::ranges::find(s->chain, part, &Insert::id);
        if (here == s->chain.end()) return;
        keep_as_file(tr("Keep the part"), {*here});
    });
    button->setMenu(menu);
    return button;
}

void Inspector::keep_as_file(const QString& title, const std::vector<Insert>& parts) {
    QString file = QFileDialog::getSaveFileName(this, title, {}, tr("Chains (*.rivlen-chain)"));
    if (file.isEmpty()) return;
    if (!file.endsWith(kChainPresetExtension)) file += kChainPresetExtension;
    const std::filesystem::path path = file.toStdString();
    const Status status = save_chain_preset({path.stem().string(), {}, parts}, path);
    if (!status) emit said(QString::fromStdString(status.error().message), true);
}

void Inspector::build_part(QVBoxLayout* column, std::size_t place) {
    const int id = selection_.strip();
    const Strip& strip = *document_.timeline().strip(id);
    const int part = strip.chain[place].id;
    const EffectInfo& about = info(strip.chain[place].kind);
    const auto find = [this, id, part]() -> const Insert* {
        const Strip* s = document_.timeline().strip(id);
        if (s == nullptr) return nullptr;
        const auto found = std::ranges::find(s->chain, part, &Insert::id);
        return found != s->chain.end() ? &*found : nullptr;
    };
    auto* on = new QCheckBox(tr(about.label), content_);
    on->setObjectName(QString("part_on_%1").arg(place));
    on->setToolTip(tr(about.sentence));
    connect(on, &QCheckBox::clicked, this, [this, part](bool checked) {
        edit_strip(tr("Switch a part"), {}, [&](Strip& s) {
            for (auto& p : s.chain) {
                if (p.id == part) p.on = checked;
            }
        });
    });
    refresh_.emplace_back([on, find] {
        if (const Insert* p = find()) on->setChecked(p->on);
    });
    auto* meter = new QLabel(content_);
    meter->setFont(number_font());
    meter->setMinimumWidth(52);
    meter->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    meters_.push_back({part, meter});
    auto* up =
        make_button(QChar(0x2191), QString("part_up_%1").arg(place), tr("Earlier in the chain"), content_);
    auto* away = make_button(QChar(0x00D7), QString("part_away_%1").arg(place), tr("Take it out"), content_);
    for (auto* b : {up, away}) b->setProperty("compact", true);
    connect(up, &QToolButton::clicked, this, [this, place] {
        edit_strip(tr("Order of the chain"), {}, [&](Strip& s) {
            if (place > 0 && place < s.chain.size()) std::swap(s.chain[place], s.chain[place - 1]);
        });
    });
    connect(away, &QToolButton::clicked, this, [this, part] {
        edit_strip(tr("Take a part out"), {}, [&](Strip& s) {
            std::erase_if(s.chain, [&](const Insert& p) { return p.id == part; });
            std::erase_if(s.lines,
                          [&](const StripLane& l) { return l.target == LaneTarget::Part && l.part == part; });
        });
    });
    auto* head = new QHBoxLayout;
    head->setSpacing(4);
    head->addWidget(on, 1);
    head->addWidget(meter);
    const EffectType kind = strip.chain[place].kind;
    head->addWidget(up);
    head->addWidget(away);
    column->addLayout(head);
    auto* acts =
        row_of({presets_button(part, place), hearing_button(part, place, Chain::Audition::Original)});
    if (is_repair(kind)) {
        auto* propose = make_button(tr("propose"), QString("part_propose_%1").arg(place),
                                    tr("Sets it by what the track plays."), content_);
        propose->setProperty("compact", true);
        propose->setEnabled(document_.timeline().track(id) != nullptr);
        connect(propose, &QToolButton::clicked, this, [this, id, part] { emit proposal_wanted(id, part); });
        const int end = acts->count() - 1;  // before the stretch
        acts->insertWidget(end, hearing_button(part, place, Chain::Audition::Removed));
        acts->insertWidget(end + 1, propose);
    }
    column->addLayout(acts);
    auto* graph = new PartGraph(content_);
    graph->setObjectName(QString("part_graph_%1").arg(place));
    if (curve_kind(kind) == CurveKind::Frequency || is_repair(kind)) graphs_.push_back({part, graph});
    refresh_.emplace_back([this, graph, find] {
        if (const Insert* p = find()) graph->show_part(*p, document_.timeline().sample_rate);
    });
    connect(graph, &PartGraph::changed, this, [this, id, part](std::size_t parameter, double value) {
        document_.edit_timeline(tr("Equaliser"), QString("graph %1").arg(part), [&](Timeline& r) {
            for (auto& p : r.strip(id)->chain) {
                if (p.id == part) p.values[parameter] = value;
            }
        });
    });
    connect(graph, &PartGraph::released, this, [this] { document_.close_step(); });
    column->addWidget(graph);

    for (std::size_t p = 0; p < about.parameters.size(); ++p) {
        const StripLane target{LaneTarget::Part, part, static_cast<int>(p), {}};
        ParameterSlider* slider = add_rail(
            column, about.parameters[p], QString("part_%1_%2").arg(place).arg(about.parameters[p].key),
            [this, id, target] {
                const Strip* s = document_.timeline().strip(id);
                return s != nullptr ? value_at(*s, target, document_.playhead()) : 0.0;
            },
            [this, id, target](double value) { set_value_(id, target, value); });
        refresh_.emplace_back([this, id, target, slider, find] {
            const Strip* s = document_.timeline().strip(id);
            const Insert* here = find();
            if (s == nullptr || here == nullptr) return;
            slider->set_marked(find_lane(*s, target) != nullptr);
            slider->set_faint(!here->on);
        });
    }
}

void Inspector::build_chain(QVBoxLayout* column) {
    const int id = selection_.strip();
    const Strip& strip = *document_.timeline().strip(id);
    column->addWidget(heading(tr("Chain"), content_));
    for (std::size_t place = 0; place < strip.chain.size(); ++place) build_part(column, place);
    auto* add =
        make_button(tr("Add a part"), "add_part", tr("A further part at the end of the chain."), content_);
    add->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(add);
    menu->setObjectName("part_menu");
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const auto kind = static_cast<EffectType>(k);
        menu->addAction(tr(info(kind).label), this, [this, id, kind] {
            document_.edit_timeline(tr("Add %1").arg(info(kind).label), {}, [&](Timeline& r) {
                r.strip(id)->chain.push_back(make_part(kind, r.new_id()));
            });
        });
    }
    add->setMenu(menu);
    auto* presets = make_button(tr("Chains"), "chain_presets",
                                tr("Take a whole chain, or keep this one as a file."), content_);
    presets->setPopupMode(QToolButton::InstantPopup);
    auto* list = new QMenu(presets);
    list->setObjectName("chain_menu");
    list->addAction(tr("Start chain for a voice"), this, [this] { take_chain(voice_start_chain()); });
    list->addAction(tr("Take one from a file…"), this, [this] {
        const QString file =
            QFileDialog::getOpenFileName(this, tr("A chain"), {}, tr("Chains (*.rivlen-chain)"));
        if (file.isEmpty()) return;
        const auto preset = load_chain_preset(file.toStdString());
        if (!preset) return emit said(QString::fromStdString(preset.error().message), true);
        take_chain(preset->parts);
    });
    list->addAction(tr("Keep this chain as a file…"), this, [this, id] {
        if (const Strip* s = document_.timeline().strip(id)) keep_as_file(tr("Keep the chain"), s->chain);
    });
    presets->setMenu(list);
    column->addLayout(row_of({add, presets}));
    if (document_.timeline().track(id) == nullptr) return;
    auto* look = make_button(tr("First look…"), "first_look",
                             tr("Looks at what the track plays and proposes what mends it."), content_);
    connect(look, &QToolButton::clicked, this, [this, id] { emit look_wanted(id); });
    column->addLayout(row_of({look}));
}

// Only for tracks: talk is levelled on the dialogue alone.
void Inspector::build_levelling(QVBoxLayout* column) {
    const int id = selection_.strip();
    column->addWidget(heading(tr("Levelling"), content_));
    const std::array<double*, kLevelSettings> values = {&levelling_.target_dbfs, &levelling_.range_db,
                                                        &levelling_.seconds};
    for (std::size_t i = 0; i < kLevelSettings; ++i) {
        const ParameterInfo& about = info(static_cast<LevelSetting>(i));
        add_rail(
            column, about, QString("levelling_%1").arg(about.key), [value = values[i]] { return *value; },
            [value = values[i]](double to) { *value = to; });
    }
    auto* level = make_button(
        tr("Write the gain line"), "levelling_write",
        tr("Near and far, loud and quiet talkers come to one level: a gain line that can be edited."),
        content_);
    connect(level, &QToolButton::clicked, this, [this, id] {
        const auto* levels = levels_.levels(id);
        if (levels == nullptr)
            return emit said(tr("The levels are still being measured; try again in a moment."), false);
        const auto points = levelling_line(*levels, kDuckStep, document_.timeline().sample_rate, levelling_);
        if (points.empty()) return emit said(tr("Nobody speaks on this track."), false);
        const StripLane target{LaneTarget::Gain, 0, 0, {}};
        document_.edit_timeline(tr("Level the voice"), {}, [&](Timeline& r) {
            Strip& s = *r.strip(id);
            std::erase_if(s.lines, [&](const StripLane& l) { return l.same_target(target); });
            for (const auto& point : points) put_point(s, target, point);
        });
        selection_.show_line(id, target);
    });
    refresh_.emplace_back([this, id] { (void)levels_.levels(id); });  // measured before it is asked for
    column->addLayout(row_of({level}));
}

void Inspector::build_ducking(QVBoxLayout* column) {
    const int id = selection_.strip();
    column->addWidget(heading(tr("Ducking"), content_));
    auto* on = new QCheckBox(tr("turned down by"), content_);
    on->setObjectName("duck_on");
    auto* key = new QComboBox(content_);
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
        // The first track that carries dialogue is what one would choose.
        int likely = 0;
        for (const auto& t : document_.timeline().tracks) {
            if (likely == 0 && t.id != id && !t.clips.empty() &&
                t.clips.front().clip_source == ClipSource::Dialogue)
                likely = t.id;
        }
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
    refresh_.emplace_back([on, key, ducking] {
        const QSignalBlocker quiet(key);
        on->setChecked(ducking().on);
        key->setCurrentIndex(std::max(0, key->findData(ducking().key_track)));
    });
    column->addLayout(row_of({on, key}));
    for (std::size_t i = 0; i < kDuckSettings; ++i) {
        const ParameterInfo& about = info(static_cast<DuckSetting>(i));
        ParameterSlider* slider = add_rail(
            column, about, QString("duck_%1").arg(about.key), [ducking, i] { return ducking().values[i]; },
            [edit, i](double value) {
                edit(tr("Ducking"), QString("duck %1").arg(i), [&](Ducking& d) { d.values[i] = value; });
            });
        refresh_.emplace_back([slider, ducking] { slider->set_faint(!ducking().acts()); });
    }
    auto* freeze = make_button(
        tr("Freeze into a line"), "duck_freeze",
        tr("The gain as it is drawn becomes points of the gain line, and ducking is switched off."),
        content_);
    connect(freeze, &QToolButton::clicked, this, [this, id] {
        const auto gains = levels_.duck_gains_of(id);
        if (gains.empty())
            return emit said(tr("The levels are still being measured; try again in a moment."), false);
        document_.edit_timeline(tr("Freeze ducking"), {},
                                [&](Timeline& r) { freeze_ducking(*r.track(id), gains); });
        selection_.show_line(id, StripLane{LaneTarget::Gain, 0, 0, {}});
    });
    refresh_.emplace_back([freeze, ducking] { freeze->setEnabled(ducking().acts()); });
    column->addLayout(row_of({freeze}));
}

void Inspector::open_silences(bool open) {
    silences_open_ = open;
    follow();
    emit silences_changed();
}

// Of all tracks that carry dialogue together: a silence is where none of them speaks.
std::vector<LoopRange> Inspector::silences() {
    if (!silences_open_) return {};
    const Timeline& r = document_.timeline();
    std::vector<std::span<const float>> levels;
    for (const int track : dialogue_tracks(r)) {
        const auto* measured = levels_.levels(track);
        if (measured == nullptr) return {};
        levels.emplace_back(*measured);
    }
    return find_silences(levels, kDuckStep, r.end(), r.sample_rate, silence_);
}

void Inspector::build_silences(QVBoxLayout* column) {
    column->addWidget(heading(tr("Silences in talk"), content_));
    column->addWidget(make_note(tr("Hatched is what would go: where no dialogue track speaks."), content_));
    const std::array<double*, kSilenceSettings> values = {&silence_.threshold_dbfs, &silence_.shortest_ms,
                                                          &silence_.padding_ms};
    for (std::size_t i = 0; i < kSilenceSettings; ++i) {
        const ParameterInfo& about = info(static_cast<SilenceSetting>(i));
        add_rail(
            column, about, QString("silence_%1").arg(about.key), [value = values[i]] { return *value; },
            [this, value = values[i]](double to) {
                *value = to;
                follow();
                emit silences_changed();
            });
    }
    auto* close = make_button(
        tr("Close the gaps"), "silence_close",
        tr("Takes the silences out of all tracks and the picture; what is later moves up."), content_);
    auto* mute = make_button(tr("Mute them"), "silence_mute",
                             tr("Mutes what the dialogue tracks play there; nothing moves."), content_);
    const auto done = [this](std::size_t count) {
        emit said(count > 0 ? tr("%1 silences taken.").arg(count) : tr("No silence is long and soft enough."),
                  false);
        open_silences(false);
    };
    connect(close, &QToolButton::clicked, this, [this, done] {
        const auto ranges = silences();
        document_.edit_timeline(tr("Close silences"), {},
                                [&](Timeline& r) { cut_time(r, ranges, {}, true); });
        done(ranges.size());
    });
    connect(mute, &QToolButton::clicked, this, [this, done] {
        const auto ranges = silences();
        document_.edit_timeline(tr("Mute silences"), {}, [&](Timeline& r) {
            std::vector<int> talk;
            for (const auto& t : r.tracks) {
                if (!t.clips.empty() && t.clips.front().clip_source == ClipSource::Dialogue)
                    talk.push_back(t.id);
            }
            mute_ranges(r, ranges, talk);
        });
        done(ranges.size());
    });
    column->addLayout(row_of({close, mute}));
}

}  // namespace rivlen::app
