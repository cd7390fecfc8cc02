// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/play/simulated_output.h"

#include <chrono>
#include <utility>

namespace rivlen {

SimulatedOutput::SimulatedOutput(Transport& transport, Pace pace, bool keep, std::size_t channels)
    : transport_(transport), tap_(transport, channels), keep_(keep) {
    if (pace == Pace::Clock) thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

std::vector<float> SimulatedOutput::take_kept() {
    const std::lock_guard lock(mutex_);
    return std::exchange(kept_, {});
}

void SimulatedOutput::take(std::size_t frames) {
    std::vector<float> block(frames * tap_.channels(), 0.0F);
    const bool playing = transport_.playing();
    tap_.fill(block);
    if (keep_ && playing) {
        const std::lock_guard lock(mutex_);
        kept_.insert(kept_.end(), block.begin(), block.end());
    }
}

std::size_t SimulatedOutput::advance(std::size_t frames) {
    std::size_t done = 0;
    while (done < frames && transport_.playing()) {
        const std::size_t ready = transport_.ready_frames();
        if (ready == 0) {
            transport_.fill({});  // a jump waits for the callback's side
            std::this_thread::sleep_for(std::chrono::microseconds(100));
            continue;
        }
        const std::size_t count = std::min(ready, frames - done);
        take(count);
        done += count;
    }
    return done;
}

void SimulatedOutput::run(const std::stop_token& stop) {
    using Clock = std::chrono::steady_clock;
    auto last = Clock::now();
    double owed = 0.0;
    while (!stop.stop_requested()) {
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
        const auto now = Clock::now();
        // After a long stall a device would have dropped the time, not made up for it.
        owed += std::min(0.05, std::chrono::duration<double>(now - last).count()) * transport_.sample_rate();
        last = now;
        const auto frames = static_cast<std::size_t>(owed);
        owed -= static_cast<double>(frames);
        take(frames);
    }
}

}  // namespace rivlen
