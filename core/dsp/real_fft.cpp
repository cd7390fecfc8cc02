// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/real_fft.h"

#include <fftw3.h>

#include <algorithm>

#include "core/dsp/fftw.h"

#include <new>

namespace rivlen {

struct RealFft::State {
    explicit State(std::size_t n) : size(n), time(fftwf_alloc_real(n)), bins(fftwf_alloc_complex(n / 2 + 1)) {
        if (time == nullptr || bins == nullptr) throw std::bad_alloc();
        const std::lock_guard lock(fftw_planner_mutex());
        forward = fftwf_plan_dft_r2c_1d(static_cast<int>(n), time, bins, FFTW_ESTIMATE);
        inverse = fftwf_plan_dft_c2r_1d(static_cast<int>(n), bins, time, FFTW_ESTIMATE);
    }
    State(const State&) = delete;
    State& operator=(const State&) = delete;
    ~State() {
        const std::lock_guard lock(fftw_planner_mutex());
        fftwf_destroy_plan(forward);
        fftwf_destroy_plan(inverse);
        fftwf_free(time);
        fftwf_free(bins);
    }
    std::size_t size;
    float* time;
    fftwf_complex* bins;
    fftwf_plan forward{}, inverse{};
};

RealFft::RealFft(std::size_t size) : state_(std::make_unique<State>(size)) {}
RealFft::RealFft(RealFft&&) noexcept = default;
RealFft& RealFft::operator=(RealFft&&) noexcept = default;
RealFft::~RealFft() = default;

std::size_t RealFft::size() const {
    return state_->size;
}
std::span<float> RealFft::time() {
    return {state_->time, state_->size};
}
std::span<std::complex<float>> RealFft::bins() {
    // The layout of both complex types is the same by both standards.
    return {reinterpret_cast<std::complex<float>*>(state_->bins), state_->size / 2 + 1};
}
void RealFft::forward(std::span<const float> signal) {
    const auto rest = std::ranges::copy(signal, state_->time).out;
    std::fill(rest, state_->time + state_->size, 0.0F);
    forward();
}
void RealFft::forward() {
    fftwf_execute(state_->forward);
}
void RealFft::inverse() {
    fftwf_execute(state_->inverse);
}

}  // namespace rivlen
