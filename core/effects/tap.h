// SPDX-License-Identifier: GPL-3.0-or-later
// The last moment of a strip's sound, the mean of its channels, for an eye: written by whoever renders, read
// at leisure by who draws. What is read may be torn where it is being written; nothing but a picture depends
// on it.
#pragma once

#include <array>
#include <atomic>
#include <cstdint>
#include <vector>

#include "core/effects/processor.h"

namespace rivlen {

class Tap {
  public:
    static constexpr std::size_t kFrames = 4096;
    void write(const ChannelBlock& block) {
        std::size_t at = at_.load(std::memory_order_relaxed);
        const float share = 1.0F / static_cast<float>(block.size());
        for (std::size_t i = 0; i < block[0].size(); ++i) {
            float sum = block[0][i];
            for (std::size_t c = 1; c < block.size(); ++c) sum += block[c][i];
            ring_[at % kFrames].store(sum * share, std::memory_order_relaxed);
            ++at;
        }
        at_.store(at, std::memory_order_release);
    }
    // The last kFrames samples, oldest first.
    [[nodiscard]] std::vector<float> read() const {
        const std::size_t at = at_.load(std::memory_order_acquire);
        std::vector<float> out(kFrames);
        for (std::size_t i = 0; i < kFrames; ++i)
            out[i] = ring_[(at + i) % kFrames].load(std::memory_order_relaxed);
        return out;
    }
    [[nodiscard]] std::size_t written() const { return at_.load(std::memory_order_relaxed); }

  private:
    std::array<std::atomic<float>, kFrames> ring_{};
    std::atomic<std::size_t> at_{0};
};

// Level in dBFS (of a sine that fills the band) at log-spaced places from 20 Hz to 20 kHz, from a
// Hann-windowed transform of Tap::kFrames samples.
inline constexpr std::size_t kSpectrumPlaces = 96;
[[nodiscard]] double spectrum_place_hz(std::size_t place);
[[nodiscard]] std::vector<float> spectrum_of(const std::vector<float>& samples, int sample_rate);

}  // namespace rivlen
