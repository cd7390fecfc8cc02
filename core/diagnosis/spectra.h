// SPDX-License-Identifier: GPL-3.0-or-later
// Short-time power spectra, which the measures of a recording's faults share.
#pragma once

#include <algorithm>
#include <cmath>
#include <complex>
#include <span>
#include <vector>

#include "core/dsp/hann.h"
#include "core/dsp/real_fft.h"

namespace rivlen {

// Power spectra under Hann windows; a sine of amplitude 1 has 1 at its bin.
class Spectra {
  public:
    Spectra(std::size_t size, int sample_rate)
        : fft_(size), hann_(size), hz_(static_cast<double>(sample_rate) / static_cast<double>(size)) {
        for (std::size_t i = 0; i < size; ++i) hann_[i] = static_cast<float>(periodic_hann(i, size));
    }
    std::span<const float> of(std::span<const float> x, std::size_t at, std::size_t bins) {
        const std::size_t size = hann_.size();
        const std::size_t count = at < x.size() ? std::min(size, x.size() - at) : 0;
        for (std::size_t i = 0; i < count; ++i) fft_.time()[i] = x[at + i] * hann_[i];
        std::fill(fft_.time().begin() + static_cast<std::ptrdiff_t>(count), fft_.time().end(), 0.0F);
        fft_.forward();
        power_.resize(bins);
        const float scale = 16.0F / (static_cast<float>(size) * static_cast<float>(size));
        for (std::size_t b = 0; b < bins; ++b) power_[b] = scale * std::norm(fft_.bins()[b]);
        return power_;
    }
    [[nodiscard]] double hz_a_bin() const { return hz_; }
    [[nodiscard]] std::size_t bin(double hz) const { return static_cast<std::size_t>(std::lround(hz / hz_)); }
    // White noise of density 1 / Hz in a bin: E|X|^2 = rate / 2 * sum of squared window (3/8 n), scaled.
    [[nodiscard]] double power_of_density() const { return 16.0 * 0.375 * hz_ / 2; }

  private:
    RealFft fft_;
    std::vector<float> hann_, power_;
    double hz_;
};

}  // namespace rivlen
