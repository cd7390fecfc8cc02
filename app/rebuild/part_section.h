// SPDX-License-Identifier: GPL-3.0-or-later
// One part of a chain, open: heard, set, with its graph on the left and its values in columns beside it.
#pragma once

#include <QToolButton>

#include "app/rebuild/part_graph.h"
#include "app/rebuild/section.h"
#include "app/rebuild/strip_header.h"
#include "core/effects/processor.h"

namespace rivlen::app {

// Which part is heard otherwise than as its result, and how; 0: none.
struct PartHearing {
    int part = 0;
    Chain::Audition what = Chain::Audition::Result;
};

class PartSection : public Section {
    Q_OBJECT
  public:
    PartSection(Document& document, int strip, std::size_t place, SetStripValue set_value,
                const PartHearing& hearing, QWidget* parent);
    void follow_playhead(SessionFrame playhead) { playhead_ = playhead; }
    [[nodiscard]] int part() const { return part_; }
    [[nodiscard]] PartGraph& graph() { return *graph_; }
    [[nodiscard]] bool shows_spectrum() const;

  signals:
    void hearing_wanted(int part, Chain::Audition what);
    // The amount from what the track plays.
    void proposal_wanted(int track, int part);
    // The noise as it reaches the part, from the loop range or the pauses.
    void noise_print_wanted(int track, int part);

  private:
    void build_acts(const PartHearing& hearing);
    void build_graph();
    void build_sliders(const SetStripValue& set_value);
    QToolButton* hearing_button(const PartHearing& hearing, Chain::Audition what);
    QToolButton* presets_button();
    void take_ready(const std::function<void(Insert&)>& change);
    void take_from_file();
    [[nodiscard]] const Insert* insert() const;
    void edit_part(const QString& label, const QString& key, const std::function<void(Insert&)>& change);
    int strip_, part_;
    std::size_t place_;
    EffectType kind_;
    PartGraph* graph_ = nullptr;
    SessionFrame playhead_;
};

}  // namespace rivlen::app
