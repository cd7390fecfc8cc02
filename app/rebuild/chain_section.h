// SPDX-License-Identifier: GPL-3.0-or-later
// The chain of a track or bus: its parts, further ones, and whole chains from files.
#pragma once

#include <vector>

#include "app/rebuild/part_section.h"

namespace rivlen::app {

class ChainSection : public Section {
    Q_OBJECT
  public:
    ChainSection(Document& document, int strip, const SetStripValue& set_value, const PartHearing& hearing,
                 QWidget* parent);
    [[nodiscard]] const std::vector<PartSection*>& parts() const { return parts_; }
    void refresh_all();
    void follow_playhead(SessionFrame playhead);

  signals:
    void look_wanted(int track);
    void proposal_wanted(int track, int part);
    void hearing_wanted(int part, Chain::Audition what);

  private:
    QToolButton* add_button();
    QToolButton* chains_button();
    int strip_;
    std::vector<PartSection*> parts_;
};

}  // namespace rivlen::app
