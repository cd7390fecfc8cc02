// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/stft.h"

#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/vector_code.h"
#include "core/dsp/fftw.h"
#include "core/dsp/hann.h"

#include <new>

namespace rivlen {

namespace {

RIVLEN_VECTOR_CODE void multiply(const std::size_t count, const float* __restrict a,
                                 const float* __restrict b, float* __restrict out) {
    for (std::size_t i = 0; i < count; ++i) out[i] = a[i] * b[i];
}

// Complex values as pairs, each pair times one gain.
RIVLEN_VECTOR_CODE void multiply_pairs(const std::size_t count, const float* __restrict pairs,
                                       const float* __restrict gains, float* __restrict out) {
    for (std::size_t k = 0; k < count; ++k) {
        out[2 * k] = pairs[2 * k] * gains[k];
        out[2 * k + 1] = pairs[2 * k + 1] * gains[k];
    }
}

RIVLEN_VECTOR_CODE void multiply_add(const std::size_t count, const float* __restrict a,
                                     const float* __restrict b, float* __restrict sum) {
    for (std::size_t i = 0; i < count; ++i) sum[i] += a[i] * b[i];
}

// The layout of std::complex<float> is that of two floats by the standard ([complex.numbers.general]).
const float* pairs_of(std::span<const Complex> spectrum) {
    return reinterpret_cast<const float*>(spectrum.data());
}
float* pairs_of(std::span<Complex> spectrum) {
    return reinterpret_cast<float*>(spectrum.data());
}

struct PlanDeleter {
    void operator()(fftwf_plan_s* plan) const {
        const std::lock_guard lock(fftw_planner_mutex());
        fftwf_destroy_plan(plan);
    }
};
struct FftwFree {
    void operator()(void* memory) const { fftwf_free(memory); }
};

}  // namespace

struct Stft::State {
    int size = 0;
    std::vector<float> window, inverse_window;
    std::unique_ptr<float, FftwFree> time;
    std::unique_ptr<fftwf_complex, FftwFree> spectrum;
    std::unique_ptr<fftwf_plan_s, PlanDeleter> forward_plan, inverse_plan;
};

Stft::Stft(int fft_size) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.size = fft_size;
    const auto size = static_cast<std::size_t>(fft_size);
    s.window.resize(size);
    s.inverse_window.resize(size);
    // FFTW's inverse is unscaled (1 / size); squared periodic Hann windows at a quarter overlap add up to 2.
    const double scale = 0.5 / fft_size;
    for (std::size_t i = 0; i < size; ++i) {
        const double window = std::sqrt(periodic_hann(i, size));
        s.window[i] = static_cast<float>(window);
        s.inverse_window[i] = static_cast<float>(window * scale);
    }
    s.time.reset(fftwf_alloc_real(size));
    s.spectrum.reset(fftwf_alloc_complex(size / 2 + 1));
    if (!s.time || !s.spectrum) throw std::bad_alloc();
    const std::lock_guard lock(fftw_planner_mutex());
    // ESTIMATE, not MEASURE: a measured plan may differ from run to run, and with it the last bit of every
    // result.
    s.forward_plan.reset(fftwf_plan_dft_r2c_1d(fft_size, s.time.get(), s.spectrum.get(), FFTW_ESTIMATE));
    s.inverse_plan.reset(fftwf_plan_dft_c2r_1d(fft_size, s.spectrum.get(), s.time.get(), FFTW_ESTIMATE));
}

Stft::Stft(Stft&&) noexcept = default;
Stft& Stft::operator=(Stft&&) noexcept = default;
Stft::~Stft() = default;

int Stft::fft_size() const {
    return state_->size;
}
int Stft::hop() const {
    return state_->size / 4;
}
int Stft::bins() const {
    return state_->size / 2 + 1;
}

void Stft::forward(std::span<const float> samples, std::span<Complex> spectrum) {
    State& s = *state_;
    multiply(s.window.size(), samples.data(), s.window.data(), s.time.get());
    fftwf_execute(s.forward_plan.get());
    std::copy_n(reinterpret_cast<const float*>(s.spectrum.get()), 2 * spectrum.size(), pairs_of(spectrum));
}

void Stft::inverse(std::span<const Complex> spectrum, std::span<float> samples) {
    State& s = *state_;
    std::copy_n(pairs_of(spectrum), 2 * spectrum.size(), reinterpret_cast<float*>(s.spectrum.get()));
    fftwf_execute(s.inverse_plan.get());
    multiply(s.window.size(), s.time.get(), s.inverse_window.data(), samples.data());
}

void Stft::inverse_add(std::span<const Complex> spectrum, std::span<const float> gains, std::size_t skip,
                       std::span<float> sum) {
    State& s = *state_;
    multiply_pairs(spectrum.size(), pairs_of(spectrum), gains.data(),
                   reinterpret_cast<float*>(s.spectrum.get()));
    fftwf_execute(s.inverse_plan.get());
    multiply_add(s.window.size() - skip, s.time.get() + skip, s.inverse_window.data() + skip, sum.data());
}

std::size_t Stft::frame_count(std::size_t samples, int hop) {
    const auto step = static_cast<std::size_t>(hop);
    return (samples + step - 1) / step + 1;
}

void copy_padded(std::span<const float> signal, std::ptrdiff_t start, std::span<float> out) {
    const auto length = static_cast<std::ptrdiff_t>(signal.size());
    const auto wanted = static_cast<std::ptrdiff_t>(out.size());
    const std::ptrdiff_t from = std::clamp<std::ptrdiff_t>(-start, 0, wanted);
    const std::ptrdiff_t to = std::clamp<std::ptrdiff_t>(length - start, from, wanted);
    std::fill(out.begin(), out.begin() + from, 0.0F);
    if (to > from) std::copy(signal.begin() + start + from, signal.begin() + start + to, out.begin() + from);
    std::fill(out.begin() + to, out.end(), 0.0F);
}

std::vector<Complex> analyse(Stft& stft, std::span<const float> signal) {
    const auto bins = static_cast<std::size_t>(stft.bins());
    const std::size_t frames = Stft::frame_count(signal.size(), stft.hop());
    std::vector<Complex> spectra(frames * bins);
    std::vector<float> frame(static_cast<std::size_t>(stft.fft_size()));
    for (std::size_t t = 0; t < frames; ++t) {
        copy_padded(signal, static_cast<std::ptrdiff_t>(t) * stft.hop() - stft.fft_size() / 2, frame);
        stft.forward(frame, std::span(spectra).subspan(t * bins, bins));
    }
    return spectra;
}

std::vector<float> synthesise(Stft& stft, std::span<const Complex> spectra, std::size_t samples) {
    const auto bins = static_cast<std::size_t>(stft.bins());
    const auto size = static_cast<std::size_t>(stft.fft_size());
    std::vector<float> out(samples, 0.0F);
    std::vector<float> weight(samples, 0.0F);  // 1 inside; less where a frame beyond either end is missing
    std::vector<float> share(size);
    for (std::size_t i = 0; i < size; ++i) {
        share[i] = static_cast<float>(0.5 * periodic_hann(i, size));
    }
    std::vector<float> frame(size);
    const std::size_t frames = spectra.size() / bins;
    for (std::size_t t = 0; t < frames; ++t) {
        stft.inverse(spectra.subspan(t * bins, bins), frame);
        const std::ptrdiff_t start = static_cast<std::ptrdiff_t>(t) * stft.hop() - stft.fft_size() / 2;
        for (std::size_t i = 0; i < size; ++i) {
            const std::ptrdiff_t at = start + static_cast<std::ptrdiff_t>(i);
            if (at < 0 || at >= static_cast<std::ptrdiff_t>(samples)) continue;
            out[static_cast<std::size_t>(at)] += frame[i];
            weight[static_cast<std::size_t>(at)] += share[i];
        }
    }
    for (std::size_t i = 0; i < samples; ++i) out[i] /= weight[i];
    return out;
}

}  // namespace rivlen
