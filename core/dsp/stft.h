// SPDX-License-Identifier: GPL-3.0-or-later
// Short-time Fourier transform with a square-root Hann window in analysis and synthesis and 75 % overlap.
// Frame t is centred on sample t * hop; samples outside the signal count as silence. For n samples there are
// n / hop + 1 frames (rounded up); every sample lies in four of them, in three at the very ends.
#pragma once

#include <complex>
#include <cstddef>
#include <memory>
#include <span>
#include <vector>

namespace rivlen {

using Complex = std::complex<float>;

class Stft {
  public:
    // fft_size: a power of two >= 64; hop = fft_size / 4. Plans are made here, nothing is allocated
    // afterwards.
    explicit Stft(int fft_size);
    Stft(Stft&&) noexcept;
    Stft& operator=(Stft&&) noexcept;
    ~Stft();

    [[nodiscard]] int fft_size() const;
    [[nodiscard]] int hop() const;
    [[nodiscard]] int bins() const;  // fft_size / 2 + 1

    // Spectrum of fft_size samples, windowed.
    void forward(std::span<const float> samples, std::span<Complex> spectrum);
    // The inverse, windowed and scaled so that overlapping frames at every hop add up to the signal.
    void inverse(std::span<const Complex> spectrum, std::span<float> samples);
    // The same of a spectrum times one gain a bin, added to `sum`: sum[i] += sample[skip + i].
    void inverse_add(std::span<const Complex> spectrum, std::span<const float> gains, std::size_t skip,
                     std::span<float> sum);

    [[nodiscard]] static std::size_t frame_count(std::size_t samples, int hop);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

// Copies [start, start + out.size()) of a signal; outside it is silence. `start` may be negative.
void copy_padded(std::span<const float> signal, std::ptrdiff_t start, std::span<float> out);

// All frames of a whole signal, row after row.
[[nodiscard]] std::vector<Complex> analyse(Stft& stft, std::span<const float> signal);
// The inverse of analyse() for a signal of `samples` samples.
[[nodiscard]] std::vector<float> synthesise(Stft& stft, std::span<const Complex> spectra,
                                            std::size_t samples);

}  // namespace rivlen
