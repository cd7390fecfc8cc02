// SPDX-License-Identifier: GPL-3.0-or-later
// What a device takes from a transport: as many channels as it has.
#pragma once

#include <algorithm>
#include <array>
#include <span>

#include "core/play/transport.h"
#include "core/space/device_channels.h"

namespace rivlen {

class DeviceTap {
  public:
    // channels: of the device, 1 and more. Those that the transport has not are silent.
    DeviceTap(Transport& transport, std::size_t channels) : transport_(transport), channels_(channels) {}
    [[nodiscard]] std::size_t channels() const { return channels_; }
    // On the callback's thread: whole frames of the device. Neither locks nor allocates.
    void fill(std::span<float> interleaved) {
        const std::size_t given = transport_.output_channels(), both = std::min(given, channels_);
        for (std::size_t frames = interleaved.size() / channels_, done = 0; done < frames;) {
            const std::size_t count = std::min(kFrames, frames - done);
            const auto piece = std::span(piece_).first(count * given);
            transport_.fill(piece);
            for (std::size_t i = 0; i < count; ++i) {
                const auto frame = interleaved.subspan((done + i) * channels_, channels_);
                std::ranges::fill(frame, 0.0F);
                for (std::size_t c = 0; c < both; ++c) frame[c] = piece[i * given + c];
            }
            done += count;
        }
    }

  private:
    static constexpr std::size_t kFrames = 512;
    Transport& transport_;
    std::size_t channels_;
    std::array<float, kFrames * kMostDeviceChannels> piece_{};
};

}  // namespace rivlen
