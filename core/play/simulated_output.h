// A stand-in for a sound device: takes sound from a transport at the pace of the clock, and can keep what it
// took.
#pragma once

#include <mutex>
#include <thread>
#include <vector>

#include "core/play/transport.h"

namespace rivlen {

class SimulatedOutput {
  public:
    // Takes blocks as a device with a buffer of about 10 ms would. keep: remember what was taken while
    // playing.
    SimulatedOutput(Transport& transport, bool keep);
    SimulatedOutput(const SimulatedOutput&) = delete;
    SimulatedOutput& operator=(const SimulatedOutput&) = delete;
    // Interleaved stereo, everything taken since the last call.
    [[nodiscard]] std::vector<float> take_kept();

  private:
    void run(const std::stop_token& stop);
    Transport& transport_;
    bool keep_;
    std::mutex mutex_;
    std::vector<float> kept_;
    std::jthread thread_;
};

}  // namespace rivlen
