// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/conversion.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <string_view>

#include "core/dsp/decibels.h"
#include "core/space/amplitude_panning.h"
#include "core/space/quadrature.h"
#include "core/space/spherical_harmonics.h"

namespace rivlen {

ChannelMatrix ChannelMatrix::after(const ChannelMatrix& first) const {
    ChannelMatrix both(to_, first.from_);
    for (std::size_t t = 0; t < to_; ++t) {
        for (std::size_t k = 0; k < from_; ++k) {
            const double g = (*this)(t, k);
            if (g == 0) continue;
            for (std::size_t f = 0; f < first.from_; ++f) both(t, f) += g * first(k, f);
        }
    }
    return both;
}

void ChannelMatrix::apply(const ChannelBlock& in, const ChannelBlock& out) const {
    for (std::size_t t = 0; t < to_; ++t) {
        std::ranges::fill(out[t], 0.0F);
        for (std::size_t f = 0; f < from_; ++f) {
            const auto g = static_cast<float>((*this)(t, f));
            if (g == 0.0F) continue;
            for (std::size_t i = 0; i < out[t].size(); ++i) out[t][i] += g * in[f][i];
        }
    }
}

namespace {

ChannelMatrix identity(std::size_t channels) {
    ChannelMatrix m(channels, channels);
    for (std::size_t c = 0; c < channels; ++c) m(c, c) = 1;
    return m;
}

double gain_of(double db) {
    return db <= FoldDown::kNothingDb ? 0.0 : amplitude_of_db(db);
}

// Where the sound of a loudspeaker goes that a layout does not have: one step nearer to one that it has.
class Folding {
  public:
    Folding(Layout to, const FoldDown& fold) : to_(loudspeakers(to)), fold_(fold) {}

    void add(const Loudspeaker& from, double gain, ChannelMatrix& into, std::size_t column) const {
        if (gain == 0) return;
        const auto found = std::ranges::find_if(
            to_, [&](const Loudspeaker& s) { return std::string_view(s.label) == from.label; });
        if (found != to_.end()) {
            into(static_cast<std::size_t>(found - to_.begin()), column) += gain;
            return;
        }
        if (from.lfe) {
            add_to_front(gain * gain_of(fold_.lfe_db), into, column);
        } else if (from.direction.elevation_deg > 0) {
            add_below(from, gain, into, column);
        } else if (from.direction.azimuth_deg == 0) {
            add_to_front(gain * gain_of(fold_.centre_db), into, column);
        } else {
            add_aside(from, gain, into, column);
        }
    }

  private:
    [[nodiscard]] bool has(std::string_view label) const {
        return std::ranges::any_of(to_, [&](const Loudspeaker& s) { return label == s.label; });
    }
    void add_at(double azimuth_deg, double elevation_deg, double gain, ChannelMatrix& into,
                std::size_t column) const {
        for (const Layout known : {Layout::Surround714, Layout::Surround514}) {
            for (const auto& s : loudspeakers(known)) {
                if (!s.lfe && s.direction == Direction{azimuth_deg, elevation_deg})
                    return add(s, gain, into, column);
            }
        }
    }
    void add_to_front(double gain, ChannelMatrix& into, std::size_t column) const {
        for (std::size_t side = 0; side < std::min<std::size_t>(to_.size(), 2); ++side)
            into(side, column) += gain;
    }
    void add_below(const Loudspeaker& from, double gain, ChannelMatrix& into, std::size_t column) const {
        const double side = from.direction.azimuth_deg > 0 ? 1 : -1;
        const bool front = std::abs(from.direction.azimuth_deg) < 90;
        // The other layout with height has them a little elsewhere.
        if (front && has("U+030")) return add_at(side * 30, 30, gain, into, column);
        if (front && has("U+045")) return add_at(side * 45, 30, gain, into, column);
        if (!front && has("U+110")) return add_at(side * 110, 30, gain, into, column);
        if (!front && has("U+135")) return add_at(side * 135, 30, gain, into, column);
        const double below = gain * gain_of(fold_.height_db);
        add_at(side * (front ? 30 : has("M+135") ? 135 : 110), 0, below, into, column);
    }
    void add_aside(const Loudspeaker& from, double gain, ChannelMatrix& into, std::size_t column) const {
        const double side = from.direction.azimuth_deg > 0 ? 1 : -1;
        const double away = std::abs(from.direction.azimuth_deg);
        if (away <= 30) {  // left and right as one
            into(0, column) += gain * std::numbers::sqrt2 / 2;
        } else if (away > 110 && has("M+110")) {
            add_at(side * 110, 0, gain * std::numbers::sqrt2 / 2, into, column);
        } else if (away == 90 && has("M+110")) {
            add_at(side * 110, 0, gain * std::numbers::sqrt2 / 2, into, column);
        } else if (away == 110 && has("M+090")) {
            add_at(side * 90, 0, gain * std::numbers::sqrt2 / 2, into, column);
            add_at(side * 135, 0, gain * std::numbers::sqrt2 / 2, into, column);
        } else {
            const double both =
                away == 110 ? 1 : std::numbers::sqrt2 / 2;  // sides and rears share the surround
            add_at(side * 30, 0, gain * both * gain_of(fold_.surround_db), into, column);
        }
    }
    std::span<const Loudspeaker> to_;
    const FoldDown& fold_;
};

ChannelMatrix fold(Layout from, Layout to, const FoldDown& settings) {
    const auto sources = loudspeakers(from);
    ChannelMatrix m(channels_of(to), sources.size());
    if (from == Layout::Mono && to == Layout::Stereo) {  // not a centre that is played beside others
        m(0, 0) = m(1, 0) = std::numbers::sqrt2 / 2;
        return m;
    }
    const Folding folding(to, settings);
    for (std::size_t c = 0; c < sources.size(); ++c) folding.add(sources[c], 1, m, c);
    return m;
}

ChannelMatrix encode(Layout from, int order) {
    const auto sources = loudspeakers(from);
    ChannelMatrix m(static_cast<std::size_t>((order + 1) * (order + 1)), sources.size());
    std::vector<double> harmonics(m.to());
    for (std::size_t c = 0; c < sources.size(); ++c) {
        if (sources[c].lfe) continue;
        spherical_harmonics(sources[c].direction, harmonics);
        for (std::size_t k = 0; k < harmonics.size(); ++k) m(k, c) = harmonics[k];
    }
    return m;
}

}  // namespace

// The grid integrates all products of harmonics of these orders exactly, as the t-designs of the paper do.
ChannelMatrix all_round_decoder(int order, Layout loudspeaker_layout, DecoderWeights weights) {
    const auto harmonics = static_cast<std::size_t>((order + 1) * (order + 1));
    const std::size_t channels = channels_of(loudspeaker_layout);
    ChannelMatrix decoder(channels, harmonics);
    const AmplitudePanner panner(loudspeaker_layout);
    const auto by_order = weights == DecoderWeights::MaxRe
                              ? max_re_weights(order)
                              : std::vector<double>(static_cast<std::size_t>(order) + 1, 1.0);
    std::vector<double> y(harmonics), gains(channels);
    const auto grid = sphere_grid(24, 48);
    for (const auto& node : grid) {
        spherical_harmonics(node.direction, y);
        panner.gains(node.direction, 0, gains);
        for (std::size_t k = 0; k < harmonics; ++k) {
            const int n = order_of_channel(k);
            // SN3D's harmonics are short by 2n + 1 in energy.
            const double part = node.weight * (2 * n + 1) * by_order[static_cast<std::size_t>(n)] * y[k];
            for (std::size_t c = 0; c < channels; ++c) decoder(c, k) += gains[c] * part;
        }
    }
    double energy = 0;  // mean over all directions
    for (const auto& node : grid) {
        spherical_harmonics(node.direction, y);
        for (std::size_t c = 0; c < channels; ++c) {
            double g = 0;
            for (std::size_t k = 0; k < harmonics; ++k) g += decoder(c, k) * y[k];
            energy += node.weight * g * g;
        }
    }
    const double by = 1 / std::sqrt(energy);
    for (std::size_t c = 0; c < channels; ++c) {
        for (std::size_t k = 0; k < harmonics; ++k) decoder(c, k) *= by;
    }
    return decoder;
}

ChannelMatrix conversion(Layout from, Layout to, const ConversionSettings& settings) {
    if (from == to) return identity(channels_of(from));
    const int order_from = ambisonic_order(from), order_to = ambisonic_order(to);
    if (order_from == 0 && order_to == 0) return fold(from, to, settings.fold_down);
    if (order_from == 0) return encode(from, order_to);
    if (order_to == 0) return all_round_decoder(order_from, to, settings.decoder);
    ChannelMatrix m(channels_of(to), channels_of(from));
    for (std::size_t c = 0; c < std::min(m.to(), m.from()); ++c) m(c, c) = 1;
    return m;
}

FieldVectors field_vectors(Layout layout, std::span<const double> gains) {
    FieldVectors v;
    double amplitude = 0, energy = 0;
    const auto all = loudspeakers(layout);
    for (std::size_t c = 0; c < all.size(); ++c) {
        if (all[c].lfe) continue;
        const Vector3 at = unit_vector(all[c].direction);
        for (std::size_t x = 0; x < 3; ++x) {
            v.velocity[x] += gains[c] * at[x];
            v.energy[x] += gains[c] * gains[c] * at[x];
        }
        amplitude += gains[c];
        energy += gains[c] * gains[c];
    }
    for (std::size_t x = 0; x < 3; ++x) {
        if (amplitude != 0) v.velocity[x] /= amplitude;
        if (energy != 0) v.energy[x] /= energy;
    }
    return v;
}

}  // namespace rivlen
