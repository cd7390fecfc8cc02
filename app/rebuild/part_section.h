// SPDX-License-Identifier: GPL-3.0-or-later
// One part of a chain: switched, ordered, heard, set, with its graph and meter.
#pragma once

#include <QLabel>
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
    // Reduction in dB, or what a repair does; falls back slowly.
    void show_reduction(double reduction_db);

  signals:
    void hearing_wanted(int part, Chain::Audition what);
    // The amount from what the track plays.
    void proposal_wanted(int track, int part);

  private:
    void build_head();
    void build_acts(const PartHearing& hearing);
    void build_graph();
    void build_sliders(const SetStripValue& set_value);
    QToolButton* hearing_button(const PartHearing& hearing, Chain::Audition what);
    QToolButton* presets_button();
    void take_ready(const std::function<void(Insert&)>& change);
    void take_from_file();
    [[nodiscard]] const Insert* insert() const;
    void edit_strip(const QString& label, const std::function<void(Strip&)>& change);
    void edit_part(const QString& label, const QString& key, const std::function<void(Insert&)>& change);
    int strip_, part_;
    std::size_t place_;
    EffectType kind_;
    QLabel* meter_ = nullptr;
    PartGraph* graph_ = nullptr;
    double reduction_db_ = 0;
    SessionFrame playhead_;
};

}  // namespace rivlen::app
