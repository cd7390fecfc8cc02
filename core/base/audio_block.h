// SPDX-License-Identifier: GPL-3.0-or-later
// Sound on its way from one place to the next: equally long channels of samples at one rate.
#pragma once

#include <algorithm>
#include <cassert>
#include <cstddef>
#include <span>
#include <utility>
#include <vector>

#include "core/base/channel_block.h"

namespace rivlen {

// Planar. Samples are linear, 1 is full scale. Memory is kept when a block becomes shorter.
class AudioBlock {
  public:
    AudioBlock() = default;
    // Silence.
    AudioBlock(int sample_rate, std::size_t channels, std::size_t frames = 0)
        : sample_rate_(sample_rate), channels_(channels, std::vector<float>(frames)) {}
    // channels: of equal lengths.
    AudioBlock(int sample_rate, std::vector<std::vector<float>> channels)
        : sample_rate_(sample_rate), channels_(std::move(channels)) {
        assert(std::ranges::all_of(channels_, [this](const auto& c) { return c.size() == frames(); }));
    }

    [[nodiscard]] int sample_rate() const { return sample_rate_; }  // Hz
    [[nodiscard]] std::size_t channels() const { return channels_.size(); }
    [[nodiscard]] std::size_t frames() const { return channels_.empty() ? 0 : channels_.front().size(); }
    [[nodiscard]] bool empty() const { return frames() == 0; }
    [[nodiscard]] std::span<float> operator[](std::size_t channel) { return channels_[channel]; }
    [[nodiscard]] std::span<const float> operator[](std::size_t channel) const { return channels_[channel]; }
    // Of at most kMostChannels channels.
    [[nodiscard]] ChannelBlock view() { return {channels_, frames()}; }
    // What reads sound without asking for its rate takes all channels at once.
    operator std::span<const std::vector<float>>() const { return channels_; }  // NOLINT(*-explicit-*)

    // What is new is silence.
    void resize(std::size_t frames) {
        for (auto& channel : channels_) channel.resize(frames);
    }
    void clear() { resize(0); }
    // Frames [first, first + count) of a block with as many channels.
    void append(const AudioBlock& more, std::size_t first, std::size_t count) {
        append(std::span<const std::vector<float>>(more), first, count);
    }
    void append(std::span<const std::vector<float>> more, std::size_t first, std::size_t count) {
        assert(more.size() == channels());
        for (std::size_t c = 0; c < channels(); ++c) {
            const auto from = more[c].begin() + static_cast<std::ptrdiff_t>(first);
            channels_[c].insert(channels_[c].end(), from, from + static_cast<std::ptrdiff_t>(count));
        }
    }
    // samples: whole frames.
    void append_interleaved(std::span<const float> samples);
    // The first frames leave it.
    void drop_front(std::size_t count) {
        for (auto& channel : channels_)
            channel.erase(channel.begin(), channel.begin() + static_cast<std::ptrdiff_t>(count));
    }
    // Its channels; nothing is left behind.
    [[nodiscard]] std::vector<std::vector<float>> take() { return std::exchange(channels_, {}); }

  private:
    int sample_rate_ = 0;
    std::vector<std::vector<float>> channels_;
};

}  // namespace rivlen
