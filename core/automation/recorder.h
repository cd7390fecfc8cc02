// SPDX-License-Identifier: GPL-3.0-or-later
// A line that is written by moving a control while time goes on.
#pragma once

#include <optional>
#include <vector>

#include "core/automation/lane.h"

namespace rivlen {

class AutomationRecorder {
  public:
    // Sets the value at a frame; points since the last call are overwritten.
    void write(std::vector<Breakpoint>& points, std::int64_t frame, double value);
    // Ends the run: what was written is thinned out to within `tolerance`.
    void finish(std::vector<Breakpoint>& points, double tolerance);
    [[nodiscard]] bool wrote_a_stretch() const { return span_ && span_->last > span_->first; }
    void reset() { span_.reset(); }

  private:
    struct Span {
        std::int64_t first = 0, last = 0;
    };
    std::optional<Span> span_;
};

}  // namespace rivlen
