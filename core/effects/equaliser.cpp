// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/equaliser.h"

#include <algorithm>

namespace rivlen {

using parameter::kBells;
using parameter::kBellSize;
using parameter::kHighShelf;
using parameter::kLowShelf;

double Equaliser::gain_db(std::span<const double> v, std::size_t index) {
    if (index == 0) return v[kLowShelf + 1];
    if (index == kBands - 1) return v[kHighShelf + 1];
    return v[kBells + (index - 1) * kBellSize + 1];
}

Biquad Equaliser::band(int sample_rate, std::span<const double> v, std::size_t index) {
    if (index == 0) return Biquad::low_shelf(sample_rate, v[kLowShelf], v[kLowShelf + 1]);
    if (index == kBands - 1) return Biquad::high_shelf(sample_rate, v[kHighShelf], v[kHighShelf + 1]);
    const std::size_t at = kBells + (index - 1) * kBellSize;
    return Biquad::peaking(sample_rate, v[at], v[at + 2], v[at + 1]);
}

double Equaliser::magnitude(int sample_rate, std::span<const double> values, double hz) {
    double product = 1;
    for (std::size_t b = 0; b < kBands; ++b) {
        if (gain_db(values, b) != 0) product *= band(sample_rate, values, b).magnitude(sample_rate, hz);
    }
    return product;
}

void Equaliser::reset() {
    for (auto& channel : filters_) {
        for (auto& filter : channel) filter.reset();
    }
}

void Equaliser::set(std::span<const double> values) {
    if (std::ranges::equal(values, values_)) return;
    for (std::size_t b = 0; b < kBands; ++b) {
        const Biquad coefficients = band(sample_rate_, values, b);
        for (auto& channel : filters_) {
            channel[b].set(coefficients);
            if (gain_db(values_, b) == 0) channel[b].reset();
        }
    }
    std::ranges::copy(values, values_.begin());
}

void Equaliser::process(StereoBlock block) {
    for (std::size_t b = 0; b < kBands; ++b) {
        if (gain_db(values_, b) == 0) continue;
        for (std::size_t c = 0; c < kMixChannels; ++c) filters_[c][b].process(block[c]);
    }
}

}  // namespace rivlen
