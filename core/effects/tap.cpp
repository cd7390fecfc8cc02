// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/tap.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/hann.h"
#include "core/dsp/real_fft.h"

namespace rivlen {

namespace {
constexpr double kLowestTapHz = 20;
constexpr double kHighestHz = 20000;
}  // namespace

double spectrum_place_hz(std::size_t place) {
    return kLowestTapHz *
           std::pow(kHighestHz / kLowestTapHz, static_cast<double>(place) / (kSpectrumPlaces - 1));
}

std::vector<float> spectrum_of(const std::vector<float>& samples, int sample_rate) {
    const std::size_t size = samples.size();
    RealFft fft(size);
    for (std::size_t i = 0; i < size; ++i)
        fft.time()[i] = samples[i] * static_cast<float>(periodic_hann(i, size));
    fft.forward();
    const auto bins = fft.bins();
    std::vector<float> out(kSpectrumPlaces);
    const double hz_a_bin = static_cast<double>(sample_rate) / static_cast<double>(size);
    for (std::size_t p = 0; p < kSpectrumPlaces; ++p) {
        // The loudest of the bins nearer to this place than to its neighbours; low places share theirs.
        const double step = std::pow(kHighestHz / kLowestTapHz, 0.5 / (kSpectrumPlaces - 1));
        const auto first =
            static_cast<std::size_t>(std::max(1.0, std::round(spectrum_place_hz(p) / step / hz_a_bin)));
        const auto last = static_cast<std::size_t>(
            std::max(static_cast<double>(first), std::round(spectrum_place_hz(p) * step / hz_a_bin)));
        float most = 0;
        for (std::size_t b = first; b <= last && b < bins.size(); ++b)
            most = std::max(most, std::abs(bins[b]));
        // A sine of amplitude a gives a * size / 4 under a Hann window.
        out[p] =
            static_cast<float>(db_of_amplitude(4.0 * static_cast<double>(most) / static_cast<double>(size)));
    }
    return out;
}

}  // namespace rivlen
