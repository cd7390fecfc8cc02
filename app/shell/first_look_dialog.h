// SPDX-License-Identifier: GPL-3.0-or-later
// What the first look at a recording or a track found, and which of its proposals go into a chain.
#pragma once

#include <QDialog>
#include <functional>
#include <optional>
#include <vector>

#include "core/mix/look.h"

class QCheckBox;

namespace rivlen::app {

class FirstLookDialog : public QDialog {
    Q_OBJECT
  public:
    // act: what taking does, for people.
    FirstLookDialog(const QString& name, TrackLook look, const QString& act, QWidget* parent = nullptr);
    [[nodiscard]] std::vector<Fault> taken() const;
    [[nodiscard]] const FirstLook& look() const { return look_.look; }

  private:
    TrackLook look_;
    std::vector<std::pair<Fault, QCheckBox*>> boxes_;
};

}  // namespace rivlen::app
