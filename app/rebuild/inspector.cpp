// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/inspector.h"

#include <algorithm>

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
    if (!r.picture.empty()) out += "|picture";
    if (const Strip* strip = r.strip(selection_.strip())) {
        out += QString("|%1").arg(static_cast<int>(strip->pan_law));
        const int id = selection_.strip();
        out += QString("|%1>%2")
                   .arg(static_cast<int>(r.layout_of(id)))
                   .arg(static_cast<int>(r.layout_behind(id)));
        for (const auto& send : strip->sends) out += QString(">%1").arg(send.bus);
    }
    return out;
}

// A clip that is chosen anew brings its page to the front, and one that is let go that of its track.
void Inspector::follow() {
    const bool clips = !selection_.clips().empty();
    if (clips && selection_.clips() != clips_before_) page_ = kClipPage;
    if (!clips && page_ == kClipPage) page_ = kStripPage;
    clips_before_ = selection_.clips();
    if (const QString now = shape(); now != built_) {
        built_ = now;
        build();
    }
    show_page();
    refresh();
}

void Inspector::show_page() {
    const auto at = std::ranges::find(on_pages_, page_);
    if (pages_ == nullptr || on_pages_.empty()) return;
    const auto place =
        static_cast<int>(at != on_pages_.end() ? at - on_pages_.begin() : std::ssize(on_pages_) - 1);
    if (shown_ != place) pages_->show_page(place);
    shown_ = place;
}

void Inspector::refresh() {
    for (auto* section : sections_) section->refresh();
}

void Inspector::follow_playhead(SessionFrame playhead) {
    playhead_ = playhead;
    if (strip_ != nullptr) strip_->follow_playhead(playhead);
    if (sends_ != nullptr) sends_->follow_playhead(playhead);
    if (space_ != nullptr) space_->follow_playhead(playhead);
    const Strip* strip = document_.timeline().strip(selection_.strip());
    if (strip == nullptr || strip->lines.empty()) return;
    refresh();
}

void Inspector::build() {
    sections_.clear();
    on_pages_.clear();
    silences_ = nullptr;
    strip_ = nullptr;
    sends_ = nullptr;
    space_ = nullptr;
    if (pages_ != nullptr) {
        pages_->hide();
        outer_->removeWidget(pages_);
        pages_->deleteLater();
    }
    pages_ = new SidePages(this);
    shown_ = -1;
    const int strip = selection_.strip();
    if (silences_open_) {
        silences_ = new SilencesSection(document_, levels_, silence_, pages_);
        connect(silences_, &SilencesSection::changed, this, &Inspector::silences_changed);
        connect(silences_, &SilencesSection::taken, this, [this] { open_silences(false); });
        add_page(kSilencesPage, tr("Silences"), "page_silences", tr("Silences in talk."), {silences_});
    }
    if (!selection_.clips().empty()) {
        auto* clips = new ClipSection(document_, selection_.clips(), pages_);
        connect(clips, &ClipSection::replace_wanted, this, &Inspector::replace_wanted);
        add_page(kClipPage, tr("Clip"), "page_clip", tr("The chosen clips."), {clips});
    }
    const bool is_track = document_.timeline().track(strip) != nullptr;
    if (document_.timeline().strip(strip) != nullptr) {
        strip_ = new StripSection(document_, strip, set_value_, pages_);
        strip_->follow_playhead(playhead_);
        std::vector<Section*> sections = {strip_};
        if (is_track) {
            sends_ = new SendsSection(document_, strip, set_value_, pages_);
            sends_->follow_playhead(playhead_);
            sections.push_back(sends_);
        }
        add_page(kStripPage, is_track ? tr("Track") : tr("Bus"), "page_strip",
                 tr("Name, ways, pan and sends."), sections);
        space_ = new SpaceSection(document_, strip, set_value_, pages_);
        space_->follow_playhead(playhead_);
        connect(space_, &SpaceSection::box_wanted, this, &Inspector::box_wanted);
        add_page(kSpacePage, tr("Space"), "page_space",
                 tr("Channels, place, and where the sound comes from."), {space_});
    } else {
        pages_->add(
            make_note(tr("Place the stems of a recording (Shift+P): what can be set for clips and tracks "
                         "stands here."),
                      pages_),
            tr("Track"), "page_strip", tr("What can be set for a track."), true);
        on_pages_.push_back(kStripPage);
    }
    if (is_track) {
        add_page(kLevelsPage, tr("Levels"), "page_levels", tr("Ducking and levelling."),
                 {new DuckingSection(document_, strip, levels_, selection_, pages_),
                  new LevellingSection(document_, strip, levels_, levelling_, selection_, pages_)});
    }
    outer_->addWidget(pages_);
    pages_->show();
    show_page();
    connect(pages_, &SidePages::page_changed, this, [this](int page) {
        shown_ = page;
        page_ = on_pages_[static_cast<std::size_t>(page)];
    });
}

void Inspector::add_page(Page page, const QString& label, const QString& name, const QString& tip,
                         const std::vector<Section*>& sections) {
    auto* content = new QWidget(pages_);
    auto* column = new QVBoxLayout(content);
    column->setContentsMargins(4, 0, 8, 4);
    column->setSpacing(4);
    for (auto* section : sections) {
        connect(section, &Section::said, this, &Inspector::said);
        column->addWidget(section);
        sections_.push_back(section);
    }
    column->addStretch(1);
    pages_->add(content, label, name, tip, true);
    on_pages_.push_back(page);
}

SpaceSection* Inspector::space_shown() {
    const bool shown = shown_ >= 0 && on_pages_[static_cast<std::size_t>(shown_)] == kSpacePage;
    return shown && isVisible() ? space_ : nullptr;
}

void Inspector::open_silences(bool open) {
    silences_open_ = open;
    if (open) page_ = kSilencesPage;
    follow();
    emit silences_changed();
}

std::vector<LoopRange> Inspector::silences() {
    return silences_ != nullptr ? silences_->silences() : std::vector<LoopRange>();
}

}  // namespace rivlen::app
