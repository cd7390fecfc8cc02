// SPDX-License-Identifier: GPL-3.0-or-later
// A stand-in for a sound device: takes sound from a transport, and can keep what it took.
#pragma once

#include <mutex>
#include <thread>
#include <vector>

#include "core/base/channel_block.h"
#include "core/play/device_tap.h"

namespace rivlen {

class SimulatedOutput {
  public:
    // Clock: blocks are taken as time goes on, as a device with a buffer of about 10 ms would. Driven: they
    // are taken by advance() alone, so that nothing depends on how busy the machine is.
    enum class Pace { Clock, Driven };
    // channels: of the device. keep: remember what was taken while playing.
    SimulatedOutput(Transport& transport, Pace pace, bool keep, std::size_t channels = kStereoChannels);
    SimulatedOutput(const SimulatedOutput&) = delete;
    SimulatedOutput& operator=(const SimulatedOutput&) = delete;

    // Driven: takes so many frames, waiting for each until it has been rendered; fewer when playback ends.
    // Returns how many.
    std::size_t advance(std::size_t frames);
    // Interleaved channels of the device, everything taken since the last call.
    [[nodiscard]] std::vector<float> take_kept();

  private:
    void run(const std::stop_token& stop);
    void take(std::size_t frames);
    Transport& transport_;
    DeviceTap tap_;
    bool keep_;
    std::mutex mutex_;
    std::vector<float> kept_;
    std::jthread thread_;
};

}  // namespace rivlen
