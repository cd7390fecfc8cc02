// SPDX-License-Identifier: GPL-3.0-or-later
// What can be set for the chosen clips.
#pragma once

#include <QComboBox>
#include <vector>

#include "app/rebuild/section.h"

namespace rivlen::app {

class ClipSection : public Section {
    Q_OBJECT
  public:
    ClipSection(Document& document, const std::vector<int>& clips, QWidget* parent);

  private:
    [[nodiscard]] QComboBox* plays_choice(const std::vector<int>& clips);
    void add_start(const std::vector<int>& clips);

  signals:
    void replace_wanted(int clip);
};

}  // namespace rivlen::app
