// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/effects/processor.h"

namespace rivlen {

// A level; changes glide over 10 ms.
class Gain : public Processor {
  public:
    explicit Gain(int sample_rate);
    void reset() override {
        now_ = target_;
        begun_ = false;
    }
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;

  private:
    float part_;  // of the way to the target, a sample
    float now_ = 1, target_ = 1;
    bool begun_ = false;
};

}  // namespace rivlen
