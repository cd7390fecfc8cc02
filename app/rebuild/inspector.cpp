// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/inspector.h"

#include <QScrollArea>
#include <QScrollBar>

#include "app/rebuild/clip_section.h"
#include "app/rebuild/ducking_section.h"
#include "app/rebuild/levelling_section.h"
#include "app/rebuild/sends_section.h"
#include "app/widgets/controls.h"

namespace rivlen::app {

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

QString Inspector::shape() const {
    const Timeline& r = document_.timeline();
    QString out =
        QString("%1|%2|%3|").arg(selection_.strip()).arg(selection_.clips().size()).arg(silences_open_);
    if (selection_.clips().size() == 1) out += QString::number(selection_.clips().front());
    for (const auto& t : r.tracks) out += "," + QString::fromStdString(t.name);
    for (const auto& b : r.buses) out += QString(";%1>%2").arg(QString::fromStdString(b.name)).arg(b.bus);
    if (const Strip* strip = r.strip(selection_.strip())) {
        out += QString("|%1").arg(static_cast<int>(strip->pan_law));
        for (const auto& send : strip->sends) out += QString(">%1").arg(send.bus);
    }
    return out;
}

void Inspector::follow() {
    if (const QString now = shape(); now != built_) {
        built_ = now;
        build();
    }
    refresh();
}

void Inspector::refresh() {
    for (auto* section : sections_) section->refresh();
}

void Inspector::follow_playhead(SessionFrame playhead) {
    playhead_ = playhead;
    if (strip_ != nullptr) strip_->follow_playhead(playhead);
    if (sends_ != nullptr) sends_->follow_playhead(playhead);
    const Strip* strip = document_.timeline().strip(selection_.strip());
    if (strip == nullptr || strip->lines.empty()) return;
    refresh();
}

void Inspector::build() {
    sections_.clear();
    silences_ = nullptr;
    strip_ = nullptr;
    sends_ = nullptr;
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
    auto* content = new QWidget(area);
    auto* column = new QVBoxLayout(content);
    column->setContentsMargins(4, 0, 8, 4);
    column->setSpacing(4);
    add_sections(content, column);
    column->addStretch(1);
    area->setWidget(content);
    outer_->addWidget(area);
    area->show();
    QMetaObject::invokeMethod(
        area, [area, scrolled] { area->verticalScrollBar()->setValue(scrolled); }, Qt::QueuedConnection);
}

void Inspector::add(Section* section, QVBoxLayout* column) {
    connect(section, &Section::said, this, &Inspector::said);
    column->addWidget(section);
    sections_.push_back(section);
}

void Inspector::add_sections(QWidget* content, QVBoxLayout* column) {
    if (silences_open_) {
        silences_ = new SilencesSection(document_, levels_, silence_, content);
        connect(silences_, &SilencesSection::changed, this, &Inspector::silences_changed);
        connect(silences_, &SilencesSection::taken, this, [this] { open_silences(false); });
        add(silences_, column);
    }
    if (!selection_.clips().empty()) {
        auto* clips = new ClipSection(document_, selection_.clips(), content);
        connect(clips, &ClipSection::replace_wanted, this, &Inspector::replace_wanted);
        add(clips, column);
    }
    if (document_.timeline().strip(selection_.strip()) != nullptr) return add_strip_sections(content, column);
    column->addWidget(
        make_note(tr("Place the stems of a recording (Shift+P): what can be set for clips and tracks "
                     "stands here."),
                  content));
}

void Inspector::add_strip_sections(QWidget* content, QVBoxLayout* column) {
    const int id = selection_.strip();
    strip_ = new StripSection(document_, id, set_value_, content);
    add(strip_, column);
    sends_ = nullptr;
    if (document_.timeline().track(id) != nullptr) {
        sends_ = new SendsSection(document_, id, set_value_, content);
        sends_->follow_playhead(playhead_);
        add(sends_, column);
        add(new DuckingSection(document_, id, levels_, selection_, content), column);
        add(new LevellingSection(document_, id, levels_, levelling_, selection_, content), column);
    }
    strip_->follow_playhead(playhead_);
}

void Inspector::open_silences(bool open) {
    silences_open_ = open;
    follow();
    emit silences_changed();
}

std::vector<LoopRange> Inspector::silences() {
    return silences_ != nullptr ? silences_->silences() : std::vector<LoopRange>();
}

}  // namespace rivlen::app
