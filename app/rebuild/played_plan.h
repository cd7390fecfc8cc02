// SPDX-License-Identifier: GPL-3.0-or-later
// The plan that the player plays: made anew after edits, with what is watched and how a part is heard.
#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <vector>

#include "app/rebuild/chain_row.h"
#include "app/rebuild/space_section.h"
#include "app/rebuild/strip_header.h"
#include "app/shell/document.h"
#include "app/shell/selection.h"
#include "core/effects/tap.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

class PlayedPlan : public QObject {
    Q_OBJECT
  public:
    PlayedPlan(Document& document, MixPlayer& player, const Selection& selection);
    [[nodiscard]] std::shared_ptr<const MixPlan> plan() const { return plan_; }
    // The last edit has reached the player.
    [[nodiscard]] bool settled() const { return !timer_.isActive(); }
    // Soon, when the edits of this moment are done; or at once.
    void make_soon() { timer_.start(); }
    void make();
    // The chosen strip's spectrum is watched; another one needs another plan.
    void follow_selection();
    void hear(int part, Chain::Audition what);
    // What the meters and the watched spectra say since the last call.
    void show_levels(const std::vector<StripHeader*>& headers, ChainRow& chain);
    // Channels and field of the chosen strip since the last call.
    void show_space(SpaceSection& space);

  signals:
    void made();

  private:
    void show_spectra(ChainRow& chain);
    void watch_field(MixPlan& plan);
    Document& document_;
    MixPlayer& player_;
    const Selection& selection_;
    QTimer timer_;
    std::shared_ptr<const MixPlan> plan_;
    std::shared_ptr<Tap> tap_ = std::make_shared<Tap>();
    std::size_t tap_shown_ = 0;
    std::shared_ptr<FieldTap> field_tap_;
    std::unique_ptr<FieldMap> field_;
    std::size_t field_shown_ = 0;
    Layout field_layout_ = Layout::Stereo;
    int field_rate_ = 0;
    std::map<int, std::shared_ptr<Tap>> removed_taps_;  // by the id of a repair in the watched strip's chain
    int heard_part_ = 0, watched_ = 0, ticks_ = 0;
    Chain::Audition heard_as_ = Chain::Audition::Result;
};

}  // namespace rivlen::app
