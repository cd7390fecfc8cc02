// SPDX-License-Identifier: GPL-3.0-or-later
// Several channels, each through responses of its own, into two: uniformly partitioned overlap-save by FFTW.
#pragma once

#include <complex>
#include <cstddef>
#include <span>
#include <vector>

#include "core/base/channel_block.h"
#include "core/dsp/real_fft.h"

namespace rivlen {

class StereoConvolver {
  public:
    static constexpr std::size_t kBlock = 256;
    struct Responses {
        std::vector<float> left, right;
    };
    explicit StereoConvolver(std::span<const Responses> channels);
    void reset();
    // One block: in kBlock frames of each channel, out kBlock of both, in step. Does not allocate.
    void process(const ChannelBlock& in, std::span<float> left, std::span<float> right);

  private:
    using Spectrum = std::vector<std::complex<float>>;
    struct Channel {
        std::vector<Spectrum> left, right;  // by partition
        std::vector<Spectrum> heard;        // of what came in, a ring of as many
        std::vector<float> last;            // block before
    };
    RealFft fft_;
    std::vector<Channel> channels_;
    Spectrum left_, right_;
    std::size_t at_ = 0, partitions_ = 1;
};

}  // namespace rivlen
