// SPDX-License-Identifier: GPL-3.0-or-later
// A control of a track or bus is moved: it writes the line that the value has, at the playhead, or else its
// value for all times.
#pragma once

#include <QCoreApplication>

#include "app/shell/document.h"
#include "core/automation/recorder.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

class StripWriter {
    Q_DECLARE_TR_FUNCTIONS(StripWriter)
  public:
    StripWriter(Document& document, const MixPlayer& player) : document_(document), player_(player) {}
    // Calls that follow each other for one value become one step.
    void set(int strip, const StripLane& target, double value);
    // The control is let go, or playing stops: a line that was written is thinned out.
    void finish();

  private:
    Document& document_;
    const MixPlayer& player_;
    int strip_ = 0;  // of the last call
    StripLane target_;
    AutomationRecorder recorder_;
};

}  // namespace rivlen::app
