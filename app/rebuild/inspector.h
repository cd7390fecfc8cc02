// SPDX-License-Identifier: GPL-3.0-or-later
// The side of the rebuild: sections for the chosen clips and the chosen track or bus, and for the silences of
// talk.
#pragma once

#include <QVBoxLayout>
#include <QWidget>
#include <functional>
#include <vector>

#include "app/rebuild/section.h"
#include "app/rebuild/sends_section.h"
#include "app/rebuild/silences_section.h"
#include "app/rebuild/space_section.h"
#include "app/rebuild/strip_header.h"
#include "app/rebuild/strip_section.h"
#include "app/shell/document.h"
#include "app/shell/level_watch.h"
#include "app/shell/selection.h"
#include "app/widgets/side_pages.h"
#include "core/mix/levelling.h"
#include "core/play/mix_player.h"
#include "core/project/silences.h"

namespace rivlen::app {

class Inspector : public QWidget {
    Q_OBJECT
  public:
    Inspector(Document& document, Selection& selection, LevelWatch& levels, SetStripValue set_value,
              QWidget* parent = nullptr);
    void follow_playhead(SessionFrame playhead);
    // While they are shown.
    [[nodiscard]] std::vector<LoopRange> silences();
    [[nodiscard]] bool silences_shown() const { return silences_open_; }
    void open_silences(bool open);
    // Of the chosen strip, while its page is in front; null otherwise.
    [[nodiscard]] SpaceSection* space_shown();

  signals:
    void replace_wanted(int clip);
    void silences_changed();
    void box_wanted();  // around what the chosen strip's place is to follow
    void said(const QString& sentence, bool trouble);

  private:
    void follow();
    void refresh();
    void build();
    enum Page { kSilencesPage, kClipPage, kStripPage, kSpacePage, kLevelsPage };
    void add_page(Page page, const QString& label, const QString& name, const QString& tip,
                  const std::vector<Section*>& sections);
    void show_page();
    [[nodiscard]] QString shape() const;  // of what is shown: built anew when it changes
    Document& document_;
    Selection& selection_;
    LevelWatch& levels_;
    SetStripValue set_value_;
    SilenceSettings silence_;
    LevelSettings levelling_;
    bool silences_open_ = false;
    SessionFrame playhead_;
    QString built_;
    QVBoxLayout* outer_;
    SidePages* pages_ = nullptr;
    std::vector<Page> on_pages_;  // which there are now
    Page page_ = kStripPage;      // that is wanted
    int shown_ = -1;              // place on pages_
    std::vector<int> clips_before_;
    // Of what is shown now; the last two where there are such.
    std::vector<Section*> sections_;
    SilencesSection* silences_ = nullptr;
    StripSection* strip_ = nullptr;
    SendsSection* sends_ = nullptr;
    SpaceSection* space_ = nullptr;
};

}  // namespace rivlen::app
