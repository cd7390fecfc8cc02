// SPDX-License-Identifier: GPL-3.0-or-later
// A delay of a fixed length.
#pragma once

#include <algorithm>
#include <utility>
#include <vector>

namespace rivlen {

// Allocates in the constructor only.
class DelayLine {
  public:
    explicit DelayLine(std::size_t frames) : line_(frames, 0.0F) {}
    void reset() {
        std::ranges::fill(line_, 0.0F);
        at_ = 0;
    }
    // What came in so many frames ago, the newest 0; up to the length of the line.
    [[nodiscard]] float step(float x, std::size_t frames_ago) {
        if (frames_ago > line_.size()) frames_ago = line_.size();
        const std::size_t from = at_ >= frames_ago ? at_ - frames_ago : at_ + line_.size() - frames_ago;
        const float out = frames_ago == 0 ? x : line_[from];
        if (line_.empty()) return x;
        line_[at_] = x;
        at_ = at_ + 1 == line_.size() ? 0 : at_ + 1;
        return out;
    }
    [[nodiscard]] float step(float x) { return step(x, line_.size()); }

  private:
    std::vector<float> line_;
    std::size_t at_ = 0;  // of the oldest, which is written over next
};

}  // namespace rivlen
