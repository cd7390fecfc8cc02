// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/equaliser.h"

namespace rivlen {

using parameter::eq_gain_db;
using parameter::eq_hz;

Biquad Equaliser::band(int sample_rate, const ParameterBlock<EffectType::Equaliser>& v, std::size_t index) {
    const double hz = v[eq_hz(index)], gain_db = v[eq_gain_db(index)];
    if (index == 0) return Biquad::low_shelf(sample_rate, hz, gain_db);
    if (index == kBands - 1) return Biquad::high_shelf(sample_rate, hz, gain_db);
    return Biquad::peaking(sample_rate, hz, v[parameter::eq_q(index)], gain_db);
}

double Equaliser::magnitude(int sample_rate, const ParameterBlock<EffectType::Equaliser>& values, double hz) {
    double product = 1;
    for (std::size_t b = 0; b < kBands; ++b) {
        if (values[eq_gain_db(b)] != 0) product *= band(sample_rate, values, b).magnitude(sample_rate, hz);
    }
    return product;
}

void Equaliser::reset() {
    for (auto& channel : filters_) {
        for (auto& filter : channel) filter.reset();
    }
    glide_.reset();
    take_coefficients();
}

void Equaliser::set(std::span<const double> all) {
    glide_.set(all);
    take_coefficients();
}

void Equaliser::take_coefficients() {
    const ParameterBlock<EffectType::Equaliser> values(glide_.values());
    if (values == values_) return;
    for (std::size_t b = 0; b < kBands; ++b) {
        const bool bell = b != 0 && b != kBands - 1;
        if (values[eq_hz(b)] == values_[eq_hz(b)] && values[eq_gain_db(b)] == values_[eq_gain_db(b)] &&
            (!bell || values[parameter::eq_q(b)] == values_[parameter::eq_q(b)]))
            continue;
        const Biquad coefficients = band(sample_rate_, values, b);
        for (auto& channel : filters_) {
            channel[b].set(coefficients);
            if (values_[eq_gain_db(b)] == 0) channel[b].reset();
        }
    }
    values_ = values;
}

void Equaliser::process(ChannelBlock block) {
    const std::size_t size = block[0].size();
    for (std::size_t at = 0; at < size;) {
        const std::size_t count = glide_.unchanged(size - at);
        for (std::size_t b = 0; b < kBands; ++b) {
            if (values_[eq_gain_db(b)] == 0) continue;
            for (std::size_t c = 0; c < filters_.size(); ++c)
                filters_[c][b].process(block[c].subspan(at, count));
        }
        at += count;
        if (glide_.pass(count)) take_coefficients();
    }
}

}  // namespace rivlen
