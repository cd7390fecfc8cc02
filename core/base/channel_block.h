// SPDX-License-Identifier: GPL-3.0-or-later
// A view of the channels of a piece of sound, of equal lengths: what processors work on in place. It owns
// nothing and allocates nothing.
#pragma once

#include <algorithm>
#include <array>
#include <cassert>
#include <cstddef>
#include <initializer_list>
#include <span>
#include <vector>

namespace rivlen {

inline constexpr std::size_t kStereoChannels = 2;
inline constexpr std::size_t kMostChannels = 36;  // of one stream: ambisonics of fifth order

class ChannelBlock {
  public:
    ChannelBlock() = default;
    ChannelBlock(std::initializer_list<std::span<float>> channels) : count_(channels.size()) {
        assert(count_ <= kMostChannels);
        std::ranges::copy(channels, channels_.begin());
    }
    // The first frames of buffers that are at least as long.
    ChannelBlock(std::span<std::vector<float>> buffers, std::size_t frames) : count_(buffers.size()) {
        assert(count_ <= kMostChannels);
        for (std::size_t c = 0; c < count_; ++c) channels_[c] = std::span(buffers[c]).first(frames);
    }

    [[nodiscard]] std::size_t size() const { return count_; }  // channels
    [[nodiscard]] std::size_t frames() const { return count_ == 0 ? 0 : channels_[0].size(); }
    [[nodiscard]] std::span<float>& operator[](std::size_t channel) { return channels_[channel]; }
    [[nodiscard]] const std::span<float>& operator[](std::size_t channel) const { return channels_[channel]; }
    [[nodiscard]] auto begin() { return channels_.begin(); }
    [[nodiscard]] auto end() { return channels_.begin() + static_cast<std::ptrdiff_t>(count_); }
    [[nodiscard]] auto begin() const { return channels_.begin(); }
    [[nodiscard]] auto end() const { return channels_.begin() + static_cast<std::ptrdiff_t>(count_); }

    [[nodiscard]] ChannelBlock subblock(std::size_t from, std::size_t frames) const {
        ChannelBlock part;
        part.count_ = count_;
        for (std::size_t c = 0; c < count_; ++c) part.channels_[c] = channels_[c].subspan(from, frames);
        return part;
    }
    [[nodiscard]] ChannelBlock first(std::size_t frames) const { return subblock(0, frames); }
    void fill(float value) const {
        for (std::size_t c = 0; c < count_; ++c) std::ranges::fill(channels_[c], value);
    }

  private:
    std::array<std::span<float>, kMostChannels> channels_;
    std::size_t count_ = 0;
};

}  // namespace rivlen
