// SPDX-License-Identifier: GPL-3.0-or-later
// What repairs have in common: they look at a stretch of sound around what they mend, and say what they took
// out.
#pragma once

#include <array>
#include <vector>

#include "core/effects/processor.h"

namespace rivlen {

// Hands stretches of the sound to work(), moving on by a hop each time. Whatever the size of the blocks that
// come in, the stretches lie at the same samples.
class OverlapAddProcessor : public Processor {
  public:
    // window: a multiple of hop, in frames; the latency.
    OverlapAddProcessor(std::size_t window, std::size_t hop, std::size_t channels);
    [[nodiscard]] std::int64_t latency() const override { return static_cast<std::int64_t>(window_); }
    void reset() override;
    void process(ChannelBlock block) override;
    // The level of what leaves against what would have left, of the last hop.
    [[nodiscard]] double reduction_db() const override { return reduction_db_; }

  protected:
    // `hop` new frames stand at the end of `sound`. The first `hop` frames leave behind this call; the others
    // come again, as they were left. Nothing may be allocated.
    virtual void work(ChannelBlock sound) = 0;
    virtual void forget() = 0;
    [[nodiscard]] std::size_t window() const { return window_; }
    [[nodiscard]] std::size_t hop() const { return hop_; }
    [[nodiscard]] std::size_t channels() const { return sound_.size(); }
    // For the meter: what leaves would have had this energy.
    void leaves_instead_of(double energy) { energy_before_ = energy; }

  private:
    std::size_t window_, hop_;
    std::size_t at_ = 0;  // in the hop
    std::vector<std::vector<float>> sound_, in_, out_;
    double energy_before_ = -1, reduction_db_ = 0;
};

}  // namespace rivlen
