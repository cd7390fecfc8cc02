// SPDX-License-Identifier: GPL-3.0-or-later
// A track that another one turns down.
#pragma once

#include "app/rebuild/section.h"
#include "app/shell/level_watch.h"
#include "app/shell/selection.h"

namespace rivlen::app {

class DuckingSection : public Section {
    Q_OBJECT
  public:
    DuckingSection(Document& document, int track, LevelWatch& levels, Selection& selection, QWidget* parent);

  private:
    LevelWatch& levels_;
    Selection& selection_;
};

}  // namespace rivlen::app
