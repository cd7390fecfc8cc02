// SPDX-License-Identifier: GPL-3.0-or-later
// Sample rate conversion by libsoxr, linear phase, delay compensated. What each quality does to the pass band
// and the stop band is measured by `rivlen-bench --benchmark_filter=resampling` (docs/rebuild.md).
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "core/base/result.h"

namespace rivlen {

// High is soxr's HQ, for what is looked at, learned from or played; VeryHigh its VHQ, for what goes into
// files: working copies at a session's rate, deliveries, pulled clips.
enum class ResampleQuality { High, VeryHigh };

// One channel, streaming: feed blocks, then an empty block to drain.
class Resampler {
  public:
    // Errors: Internal when soxr refuses the pair of rates.
    [[nodiscard]] static Result<Resampler> create(double rate_in, double rate_out,
                                                  ResampleQuality quality = ResampleQuality::High);
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
[[nodiscard]] std::vector<float> resample(std::span<const float> in, double rate_in, double rate_out,
                                          ResampleQuality quality = ResampleQuality::High);

}  // namespace rivlen
