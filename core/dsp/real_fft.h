// SPDX-License-Identifier: GPL-3.0-or-later
// A real Fourier transform of one size by FFTW, for work away from the audio thread.
#pragma once

#include <complex>
#include <cstddef>
#include <memory>
#include <span>

namespace rivlen {

class RealFft {
  public:
    explicit RealFft(std::size_t size);  // planned here
    RealFft(RealFft&&) noexcept;
    RealFft& operator=(RealFft&&) noexcept;
    ~RealFft();

    [[nodiscard]] std::size_t size() const;
    [[nodiscard]] std::span<float> time();                // size() samples
    [[nodiscard]] std::span<std::complex<float>> bins();  // size() / 2 + 1
    // Copies a signal of at most size() samples into time(), pads it with zeros and transforms.
    void forward(std::span<const float> signal);
    void forward();  // time() to bins(); time() may be overwritten
    void inverse();  // bins() to time(), not scaled: size() times the signal; bins() may be overwritten

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rivlen
