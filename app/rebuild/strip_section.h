// SPDX-License-Identifier: GPL-3.0-or-later
// Name, bus, settings and place between left and right of a track or bus.
#pragma once

#include "app/rebuild/section.h"
#include "app/rebuild/strip_header.h"

namespace rivlen::app {

class StripSection : public Section {
    Q_OBJECT
  public:
    StripSection(Document& document, int strip_id, SetStripValue set_value, QWidget* parent);
    void follow_playhead(SessionFrame playhead) { playhead_ = playhead; }

  private:
    QComboBox* bus_box(int id);
    QComboBox* card_box(int id);
    void add_pan(int id);
    SetStripValue set_value_;
    SessionFrame playhead_;
};

}  // namespace rivlen::app
