// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/stft_processor.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
int size_for(int sample_rate, double seconds) {
    const auto frames = static_cast<unsigned>(std::max(64.0, seconds * sample_rate));
    return static_cast<int>(std::bit_floor(frames + frames / 4));
}
}  // namespace

StftProcessor::StftProcessor(int sample_rate, double seconds, std::size_t channels)
    : OverlapAddProcessor(static_cast<std::size_t>(size_for(sample_rate, seconds)),
                          static_cast<std::size_t>(size_for(sample_rate, seconds)) / 4, channels),
      rate_(sample_rate),
      stft_(size_for(sample_rate, seconds)) {
    // A square-root Hann window adds up to 2 n / pi, its square to n / 2.
    const auto n = static_cast<double>(window());
    const double sine = n / std::numbers::pi;  // |X| of a full-scale sine at its bin
    scale_ = static_cast<float>(1 / (sine * sine));
    // White noise of density 1 / Hz has the power rate / 2; E|X|^2 = power * n / 2.
    density_ = static_cast<double>(scale_) * (rate_ / 2) * (n / 2);
    const auto bins = static_cast<std::size_t>(stft_.bins());
    spectra_.assign(channels, std::vector<Complex>(bins));
    sum_.assign(channels, std::vector<float>(window()));
    power_.resize(bins);
    gains_.resize(bins);
}

double StftProcessor::hz_of(std::size_t bin) const {
    return static_cast<double>(bin) * rate_ / static_cast<double>(window());
}

std::size_t StftProcessor::bin_of(double hz) const {
    return std::min(bins() - 1,
                    static_cast<std::size_t>(std::lround(hz * static_cast<double>(window()) / rate_)));
}

void StftProcessor::forget() {
    for (auto& channel : sum_) std::ranges::fill(channel, 0.0F);
    forget_levels();
}

void StftProcessor::work(ChannelBlock sound) {
    for (std::size_t c = 0; c < channels(); ++c) stft_.forward(sound[c], spectra_[c]);
    const float share = scale_ / static_cast<float>(channels());
    for (std::size_t b = 0; b < power_.size(); ++b) power_[b] = share * std::norm(spectra_[0][b]);
    for (std::size_t c = 1; c < channels(); ++c) {
        for (std::size_t b = 0; b < power_.size(); ++b) power_[b] += share * std::norm(spectra_[c][b]);
    }
    std::ranges::fill(gains_, 1.0F);
    weigh(power_, gains_);
    leaves_instead_of(energy_of(sound.first(hop())));
    for (std::size_t c = 0; c < channels(); ++c) {
        auto& sum = sum_[c];
        std::copy(sum.begin() + static_cast<std::ptrdiff_t>(hop()), sum.end(), sum.begin());
        std::fill(sum.end() - static_cast<std::ptrdiff_t>(hop()), sum.end(), 0.0F);
        stft_.inverse_add(spectra_[c], gains_, 0, sum);
        std::copy_n(sum.begin(), hop(), sound[c].begin());
    }
}

}  // namespace rivlen
