// SPDX-License-Identifier: GPL-3.0-or-later
// The last moments of all channels that leave a strip, for an eye (core/space/field_map.h): written by
// whoever renders, read at leisure by who draws. What is read may be torn where it is being written.
#pragma once

#include <atomic>
#include <cstddef>
#include <vector>

#include "core/base/channel_block.h"

namespace rivlen {

class FieldTap {
  public:
    FieldTap(std::size_t channels, std::size_t frames) : frames_(frames), ring_(channels * frames) {}
    void write(const ChannelBlock& block) {
        const std::size_t at = at_.load(std::memory_order_relaxed);
        const std::size_t channels = ring_.size() / frames_;
        for (std::size_t c = 0; c < std::min(channels, block.size()); ++c) {
            for (std::size_t i = 0; i < block[c].size(); ++i)
                ring_[c * frames_ + (at + i) % frames_].store(block[c][i], std::memory_order_relaxed);
        }
        at_.store(at + block.frames(), std::memory_order_release);
    }
    [[nodiscard]] std::size_t written() const { return at_.load(std::memory_order_acquire); }
    // The last frames of each channel, oldest first; at most as many as it holds.
    [[nodiscard]] std::vector<std::vector<float>> last(std::size_t frames) const {
        const std::size_t at = written(), count = std::min({frames, frames_, at});
        std::vector<std::vector<float>> out(ring_.size() / frames_, std::vector<float>(count));
        for (std::size_t c = 0; c < out.size(); ++c) {
            for (std::size_t i = 0; i < count; ++i)
                out[c][i] = ring_[c * frames_ + (at - count + i) % frames_].load(std::memory_order_relaxed);
        }
        return out;
    }

  private:
    std::size_t frames_;
    std::vector<std::atomic<float>> ring_;
    std::atomic<std::size_t> at_{0};
};

}  // namespace rivlen
