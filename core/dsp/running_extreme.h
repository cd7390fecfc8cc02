// SPDX-License-Identifier: GPL-3.0-or-later
// The lowest or highest of the last values, at a constant cost a value on average (D. Lemire, "Streaming
// maximum-minimum filter using no more than three comparisons per element", Nordic J. of Computing 13, 2006).
#pragma once

#include <cstdint>
#include <functional>
#include <utility>
#include <vector>

namespace rivlen {

// Better(a, b): a is kept rather than b. Allocates in the constructor only.
template <typename Better>
class RunningExtreme {
  public:
    // window: of the newest value and those before it, 1 or more.
    explicit RunningExtreme(std::size_t window)
        : window_(static_cast<std::int64_t>(window)), kept_(window + 2) {}
    // As if value had come for a whole window.
    void reset(float value) {
        first_ = 0;
        count_ = 1;
        kept_[0] = {clock_++, value};
    }
    float step(float value) {
        const Better better;
        while (count_ > 0 && !better(kept_[place(count_ - 1)].second, value)) --count_;
        kept_[place(count_)] = {clock_, value};
        ++count_;
        while (kept_[first_].first <= clock_ - window_) {
            first_ = place(1);
            --count_;
        }
        ++clock_;
        return kept_[first_].second;
    }

  private:
    [[nodiscard]] std::size_t place(
        std::size_t nth) const {  // a division a value would cost more than the rest
        const std::size_t at = first_ + nth;
        return at < kept_.size() ? at : at - kept_.size();
    }
    std::int64_t window_, clock_ = 0;
    std::vector<std::pair<std::int64_t, float>> kept_;  // ring: those that may still be the extreme
    std::size_t first_ = 0, count_ = 0;
};

using RunningMinimum = RunningExtreme<std::less<float>>;
using RunningMaximum = RunningExtreme<std::greater<float>>;

}  // namespace rivlen
