// SPDX-License-Identifier: GPL-3.0-or-later
// The chain of the chosen track or bus as a row under the tracks: its parts from left to right as the sound
// goes, one of them open with its graph and values; further parts, and whole chains from files.
#pragma once

#include <QHBoxLayout>
#include <QToolButton>
#include <QWidget>
#include <functional>
#include <map>
#include <vector>

#include "app/rebuild/part_section.h"
#include "app/rebuild/part_tile.h"
#include "app/shell/document.h"
#include "app/shell/selection.h"

namespace rivlen::app {

class ChainRow : public QWidget {
    Q_OBJECT
  public:
    ChainRow(Document& document, Selection& selection, SetStripValue set_value, QWidget* parent = nullptr);
    void follow_playhead(SessionFrame playhead);
    // Meters of the parts: reduction in dB by the part's id.
    void show_reduction(const std::function<double(int part)>& of);
    // Behind the strip's chain, for the graph.
    void show_spectrum(const std::vector<float>& levels);
    [[nodiscard]] bool wants_spectrum() const { return open_ != nullptr && open_->shows_spectrum(); }
    // What a repair takes out, for its graph.
    void show_removed(int part, const std::vector<float>& levels);

  signals:
    void look_wanted(int track);
    // The amount of one part from what the track plays.
    void proposal_wanted(int track, int part);
    void noise_print_wanted(int track, int part);
    // How a part is to be heard; 0: none otherwise than as its result.
    void hearing_wanted(int part, Chain::Audition what);
    void said(const QString& sentence, bool trouble);

  private:
    void follow();
    void refresh();
    void build();
    void add_parts(const Strip& strip, QWidget* content, QHBoxLayout* row);
    void open(int part);
    void drop(int part, QPoint at);
    void hear(int part, Chain::Audition what);
    [[nodiscard]] QString shape() const;  // of what is shown: built anew when it changes
    QWidget* build_head(const QString& name, bool upright, QWidget* parent);
    QToolButton* add_button(QWidget* parent);
    QToolButton* chains_button(QWidget* parent);
    void take(const std::vector<Insert>& parts);
    Document& document_;
    Selection& selection_;
    SetStripValue set_value_;
    PartHearing hearing_;
    SessionFrame playhead_;
    QString built_;
    QWidget* content_ = nullptr;
    std::map<int, int> open_part_;  // of a strip, by its id
    std::vector<PartTile*> tiles_;
    PartSection* open_ = nullptr;
};

}  // namespace rivlen::app
