// SPDX-License-Identifier: GPL-3.0-or-later
// Gains of a layout's channels for a source in a direction: amplitude panning on loudspeakers, spherical
// harmonics in ambisonics.
#pragma once

#include <optional>
#include <span>

#include "core/space/amplitude_panning.h"

namespace rivlen {

class SourcePanner {
  public:
    explicit SourcePanner(Layout layout);
    [[nodiscard]] Layout layout() const { return layout_; }
    // gains: one a channel, LFE 0. spread_percent 0: a point; 100: from everywhere. In ambisonics each order
    // is weighted as an evenly filled cap of the spread's size has it. Does not allocate.
    void gains(Direction direction, double spread_percent, std::span<double> gains) const;

  private:
    Layout layout_;
    std::optional<AmplitudePanner> loudspeakers_;
};

}  // namespace rivlen
