// SPDX-License-Identifier: GPL-3.0-or-later
// The last of a sound.
#pragma once

#include <algorithm>
#include <cassert>
#include <vector>

namespace rivlen {

// Allocates in the constructor only.
class DelayLine {
  public:
    // most_frames: how far back can be looked.
    explicit DelayLine(std::size_t most_frames) : line_(most_frames + 1, 0.0F) {}
    void reset() {
        std::ranges::fill(line_, 0.0F);
        at_ = 0;
    }
    void push(float x) {
        at_ = at_ + 1 == line_.size() ? 0 : at_ + 1;
        line_[at_] = x;
    }
    // What was pushed so many frames before the newest, 0 to most_frames.
    [[nodiscard]] float ago(std::size_t frames) const {
        assert(frames < line_.size());
        return line_[at_ >= frames ? at_ - frames : at_ + line_.size() - frames];
    }

  private:
    std::vector<float> line_;
    std::size_t at_ = 0;  // of the newest
};

}  // namespace rivlen
