// SPDX-License-Identifier: GPL-3.0-or-later
// The silences of talk: what would go, and taking it.
#pragma once

#include <vector>

#include "app/rebuild/section.h"
#include "app/shell/level_watch.h"
#include "core/project/silences.h"

namespace rivlen::app {

class SilencesSection : public Section {
    Q_OBJECT
  public:
    SilencesSection(Document& document, LevelWatch& levels, SilenceSettings& settings, QWidget* parent);
    // Of all tracks that carry dialogue together: a silence is where none of them speaks.
    [[nodiscard]] std::vector<LoopRange> silences();

  signals:
    void changed();
    void taken();  // and done with

  private:
    LevelWatch& levels_;
    SilenceSettings& silence_;
};

}  // namespace rivlen::app
