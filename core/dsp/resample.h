// SPDX-License-Identifier: GPL-3.0-or-later
// Sample rate conversion by libsoxr, very high quality, linear phase, delay compensated.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "core/base/result.h"

namespace rivlen {

// One channel, streaming: feed blocks, then an empty block to drain.
class Resampler {
  public:
    // Errors: Internal when soxr refuses the pair of rates.
    [[nodiscard]] static Result<Resampler> create(double rate_in, double rate_out);
    Resampler(Resampler&&) noexcept;
    Resampler& operator=(Resampler&&) noexcept;
    ~Resampler();

    // Appends the converted samples to `out`. `last` drains the filter.
    void process(std::span<const float> in, bool last, std::vector<float>& out);

  private:
    struct State;
    explicit Resampler(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

// A whole channel at once; the result has round(size * out / in) samples.
[[nodiscard]] std::vector<float> resample(std::span<const float> in, double rate_in, double rate_out);

}  // namespace rivlen
