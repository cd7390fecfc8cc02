// SPDX-License-Identifier: GPL-3.0-or-later
// A gain line that brings all talkers of a track to one level. Only for tracks: talk is levelled on the
// dialogue alone.
#pragma once

#include "app/rebuild/section.h"
#include "app/shell/level_watch.h"
#include "app/shell/selection.h"
#include "core/mix/levelling.h"

namespace rivlen::app {

class LevellingSection : public Section {
    Q_OBJECT
  public:
    LevellingSection(Document& document, int track, LevelWatch& levels, LevelSettings& settings,
                     Selection& selection, QWidget* parent);

  private:
    LevelWatch& levels_;
    LevelSettings& levelling_;
    Selection& selection_;
};

}  // namespace rivlen::app
