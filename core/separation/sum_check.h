// SPDX-License-Identifier: GPL-3.0-or-later
// How far the four neutral stems are from adding up to the source, or to what corrections leave of it.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/base/audio_block.h"
#include "core/media/source.h"

namespace rivlen {

class SumCheck {
  public:
    explicit SumCheck(const Source& source) : source_(&source) {}
    // stems: the neutral stems [stem][channel] of the frames from `start` on. They are summed in float32, as
    // a mixing desk that plays the four files would. whole: what they are to add up to where something is cut
    // (whole_weights()); null: the source.
    void add(std::int64_t start, std::span<const AudioBlock> stems, const AudioBlock* whole = nullptr);
    // Peak of the difference so far in dBFS; -200 when there is none.
    [[nodiscard]] double result_dbfs() const;

  private:
    const Source* source_;
    std::vector<float> original_;
    double peak_ = 0.0;
};

}  // namespace rivlen
