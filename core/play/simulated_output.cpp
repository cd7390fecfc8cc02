#include "core/play/simulated_output.h"

#include <algorithm>
#include <chrono>
#include <utility>

namespace rivlen {

SimulatedOutput::SimulatedOutput(Transport& transport, bool keep) : transport_(transport), keep_(keep) {
    thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

std::vector<float> SimulatedOutput::take_kept() {
    const std::lock_guard lock(mutex_);
    return std::exchange(kept_, {});
}

void SimulatedOutput::run(const std::stop_token& stop) {
    using Clock = std::chrono::steady_clock;
    auto last = Clock::now();
    double owed = 0.0;
    std::vector<float> block;
    while (!stop.stop_requested()) {
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
        const auto now = Clock::now();
        // After a long stall a device would have dropped the time, not made up for it.
        owed += std::min(0.05, std::chrono::duration<double>(now - last).count()) * transport_.sample_rate();
        last = now;
        const auto frames = static_cast<std::size_t>(owed);
        owed -= static_cast<double>(frames);
        block.assign(frames * Transport::kOutputChannels, 0.0F);
        const bool playing = transport_.playing();
        transport_.fill(block);
        if (keep_ && playing) {
            const std::lock_guard lock(mutex_);
            kept_.insert(kept_.end(), block.begin(), block.end());
        }
    }
}

}  // namespace rivlen
